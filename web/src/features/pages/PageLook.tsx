import { useQuery } from "@tanstack/react-query";
import { Drawer } from "antd";
import { useState } from "react";
import type { PinnedViewer, Role, Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { focusedViewer, type Pin, useWorkbench } from "../../state/workbench";
import type { Key } from "../../ui/chartLines";
import { Letter } from "../../ui/Letter";
import { Notice } from "../../ui/Notice";
import { PageFilters, withSelected } from "../../ui/PageFilters";
import { type PageFilter, PageView, RowsTable } from "../../ui/PageView";
import { figureOf } from "./pageFigures";

type Seen = { place: number; title: string; viewer: PinnedViewer };
type Props = { page: string; edited: Role[] };

/** A page as the focused viewer sees it, or as all pinned viewers see it side by side. */
export function PageLook({ page, edited }: Props) {
  const bench = useWorkbench();
  const [together, setTogether] = useState(false);
  const [filters, setFilters] = useState<PageFilter[]>([]);
  const pin: Pin | undefined = bench.pins[bench.focus - 1];
  const focused: Seen = { place: bench.focus, title: pin ? pin.title : "all data", viewer: focusedViewer(bench) };
  const everybody: Seen[] = [
    { place: 0, title: "all data", viewer: { all_data: true } },
    ...bench.pins.map((item, index) => ({ place: index + 1, title: item.title, viewer: item.viewer })),
  ];
  return (
    <>
      {bench.pins.length > 0 && (
        <div className="row small below-6">
          <button type="button" className="textlink" aria-pressed={together} onClick={() => setTogether(!together)}>
            {together ? `Only as ${focused.title}` : "All pinned viewers side by side"}
          </button>
        </div>
      )}
      {together ? (
        <div className="side-by-side" style={{ gridTemplateColumns: `repeat(${everybody.length}, minmax(220px, 1fr))` }}>
          {everybody.map((seen) => (
            <div key={seen.place}>
              <div className="row seen-head">
                <Letter place={seen.place} little /> <b className="cut">{seen.title}</b>
              </div>
              <OneLook page={page} seen={seen} edited={edited} filters={filters} setFilters={setFilters} narrow />
            </div>
          ))}
        </div>
      ) : (
        <OneLook page={page} seen={focused} edited={edited} filters={filters} setFilters={setFilters} />
      )}
    </>
  );
}

type LookProps = {
  page: string;
  seen: Seen;
  edited: Role[];
  filters: PageFilter[];
  setFilters: (filters: PageFilter[]) => void;
  narrow?: boolean;
};

function OneLook({ page, seen, edited, filters, setFilters, narrow = false }: LookProps) {
  const bench = useWorkbench();
  const [beneath, setBeneath] = useState<{ exhibit: number; key: Key; title: string } | null>(null);
  const unsaved = bench.state === "draft" ? edited : [];
  const look = useQuery(queries.pageLook(page, { state: bench.state, as_of: bench.day, viewer: seen.viewer, edited: unsaved, filters }));
  const pages = useQuery(queries.pages(bench.state));
  const named = pages.data?.shelves.flatMap((shelf) => shelf.pages).find((item) => item.page.name === page)?.page.model ?? null;
  const model = useQuery({ ...queries.model(named ?? "", bench.state), enabled: named !== null });
  if (look.isError) return <Notice kind="bad">{look.error.message}</Notice>;
  if (!look.data) return null;
  if (!look.data.can_open || !look.data.page) {
    return (
      <div className="closed hid" data-testid="page-closed">
        <b>This page does not exist for {seen.title}.</b>
        <p>{look.data.reason}</p>
      </div>
    );
  }
  const shown = look.data.page;
  return (
    <>
      {!narrow && <PageFilters choices={shown.filters} filters={filters} onChange={setFilters} />}
      <PageView
        page={shown}
        narrow={narrow}
        acts={{
          filters,
          select: (exhibit, column, value) => setFilters(withSelected(filters, exhibit, column, value)),
          beneath: (exhibit, key, title) => setBeneath({ exhibit, key, title }),
          subject: (place, measure, key) => (model.data ? figureOf(shown, place, measure, key, filters, model.data.document) : null),
          as: seen.place > 0 ? seen.place : undefined,
        }}
      />
      {beneath && (
        <Beneath
          page={page}
          look={{
            state: bench.state,
            as_of: bench.day,
            viewer: seen.viewer,
            edited: unsaved,
            beneath: { exhibit: beneath.exhibit, key: beneath.key, filters, limit: 200, offset: 0, beneath: true },
          }}
          title={`${beneath.title}, as ${seen.title}`}
          close={() => setBeneath(null)}
        />
      )}
    </>
  );
}

function Beneath({ page, look, title, close }: { page: string; look: Schemas["BeneathLook"]; title: string; close: () => void }) {
  const rows = useQuery(queries.pageBeneath(page, look));
  return (
    <Drawer open onClose={close} placement="bottom" height="62%" title={`Rows beneath ${title}`}>
      {rows.isError && <Notice kind="careful">{rows.error.message}</Notice>}
      {rows.isPending && <p className="soft">Listing the rows…</p>}
      {rows.data && <RowsTable rows={rows.data} />}
    </Drawer>
  );
}
