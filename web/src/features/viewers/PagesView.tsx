import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router-dom";
import { queries } from "../../api/queries";
import { pageSubject } from "../../state/asking";
import { useWorkbench } from "../../state/workbench";
import { Notice } from "../../ui/Notice";
import { PresenceTable } from "./PresenceTable";

/** Which pages each viewer may open; a page leads to its looks side by side. */
export function PagesView({ differing, setDiffering }: { differing: boolean; setDiffering: (on: boolean) => void }) {
  const bench = useWorkbench();
  const pages = useQuery(queries.pages(bench.state));
  const asked = useQuery({
    ...queries.evaluated({ state: bench.state, as_of: bench.day, viewers: bench.pins.map((pin) => pin.viewer), ask: [{ pages: {} }] }),
    enabled: bench.pins.length > 0,
  });
  const opening = (asked.data?.viewers ?? []).map((entry) => {
    const answer = entry.answers[0];
    return new Set(answer && "publish" in answer ? answer.open : []);
  });
  const lines = (pages.data?.shelves ?? []).flatMap((shelf) =>
    shelf.pages.map(({ page }) => ({
      key: page.name,
      title: (
        <>
          <Link to={`/pages/${encodeURIComponent(page.name)}`}>{page.label ?? page.name}</Link>{" "}
          <span className="soft small">{shelf.label}</span>
        </>
      ),
      subject: pageSubject(page.name, page.label ?? page.name),
      there: opening.map((open) => open.has(page.name)),
    })),
  );
  return (
    <>
      {(asked.isError || pages.isError) && <Notice kind="bad">{(asked.error ?? pages.error)?.message}</Notice>}
      <PresenceTable
        label="Pages"
        what="page"
        lines={asked.data ? lines : []}
        differing={differing}
        setDiffering={setDiffering}
        busy={asked.isFetching}
        empty="Pin somebody to see which pages open for them."
      />
    </>
  );
}
