import { useQuery } from "@tanstack/react-query";
import { Select } from "antd";
import { useState } from "react";
import type { PinnedViewer, Role } from "../../api/client";
import { queries } from "../../api/queries";
import { Notice } from "../../ui/Notice";
import { PageView } from "../../ui/PageView";
import { useDelayed } from "../../ui/useDelayed";

/** A page as the viewer sees it with the edit, and whether it opens before and after. */
export function EffectPage({ viewer, role }: { viewer: PinnedViewer; role: Role }) {
  const [chosen, setChosen] = useState<string | null>(null);
  const pages = useQuery(queries.pages("draft"));
  const settled = useDelayed(role, 120);
  const all = (pages.data?.shelves ?? []).flatMap((shelf) => shelf.pages.map((entry) => entry.page));
  const name = chosen ?? all.find((page) => page.model === role.model)?.name ?? all[0]?.name;
  const look = (edited: Role[]) => ({ ...queries.pageLook(name ?? "", { viewer, edited }), enabled: name !== undefined });
  const before = useQuery(look([]));
  const after = useQuery(look([settled]));
  if (pages.data && all.length === 0) return <p className="soft small">There are no pages yet.</p>;
  const could = before.data?.can_open ?? false;
  const can = after.data?.can_open ?? false;
  return (
    <div className="effect-page">
      <Select
        showSearch
        size="small"
        aria-label="Page"
        className="full around-6-0"
        value={name}
        onChange={setChosen}
        optionFilterProp="label"
        options={all.map((page) => ({ value: page.name, label: page.label ?? page.name }))}
      />
      {after.isError && <Notice kind="careful">{after.error.message}</Notice>}
      {after.data && !before.isPending && (
        <p className="small">
          {could === can ? (
            can ? (
              "Opens, before and after this edit."
            ) : (
              ""
            )
          ) : can ? (
            <span className="gained-mark">Would be opened by this edit.</span>
          ) : (
            <span className="lost-mark">Would be closed by this edit.</span>
          )}
        </p>
      )}
      {after.data && !can && <p className="soft small">{after.data.reason}</p>}
      {after.data?.page && <PageView page={after.data.page} narrow />}
    </div>
  );
}
