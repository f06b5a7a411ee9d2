import { useQuery } from "@tanstack/react-query";
import { App, Button, Drawer } from "antd";
import { useEffect, useState } from "react";
import { ApiError, nameInAddress, type Schemas } from "../../api/client";
import { saveFile } from "../../api/download";
import { queries } from "../../api/queries";
import { remember, remembered } from "../../state/remembered";
import type { Key } from "../../ui/chartLines";
import { Notice } from "../../ui/Notice";
import { PageFilters, withSelected } from "../../ui/PageFilters";
import { type PageFilter, PageView, RowsTable } from "../../ui/PageView";
import { NewOwnPage } from "./NewOwnPage";
import { OwnPageBar } from "./OwnPageBar";

const MOST_ROWS = 200;

/** The filters somebody last used on a page, kept on their own machine. */
function rememberedFilters(key: string): PageFilter[] {
  try {
    return JSON.parse(remembered(key) ?? "[]") as PageFilter[];
  } catch {
    return [];
  }
}

type Props = {
  name: string;
  account: string;
  /** Whether it is a page they made. */
  own: boolean;
  /** The shelves on which they may make pages. */
  create: Schemas["MyPage"][];
};

/** A page as it is for who is signed in: narrowed, with rows beneath, saved as a file; copied or changed where they may. */
export function MyPage({ name, account, own, create }: Props) {
  const kept = `moorland.${account}.filters.${name}`;
  const { message } = App.useApp();
  const [filters, setFilters] = useState<PageFilter[]>(() => rememberedFilters(kept));
  const [beneath, setBeneath] = useState<{ exhibit: number; key: Key; title: string } | null>(null);
  const [copying, setCopying] = useState(false);
  const page = useQuery(queries.myPage(name, { filters }));
  useEffect(() => {
    if (filters.length > 0) remember(kept, JSON.stringify(filters));
    else remember(kept, null);
  }, [filters, kept]);
  // A remembered filter may name what is not there any more: the page is shown whole again.
  const forgotten = page.error instanceof ApiError && filters.length > 0;
  useEffect(() => {
    if (forgotten) setFilters([]);
  }, [forgotten]);
  const save = (exhibit: number, format: "csv" | "xlsx", key: Key = [], rows = false) =>
    saveFile(
      `/api/my/pages/${nameInAddress(name)}/export`,
      { exhibit, format, key, filters, beneath: rows, limit: 100_000 },
      `${name}.${format}`,
    ).catch((error: Error) => message.error(error.message));
  if (page.isError && !forgotten) return <Notice kind="bad">{page.error.message}</Notice>;
  if (!page.data) return null;
  return (
    <>
      <div className="row wrap">
        <h1 className="grow">{page.data.label}</h1>
        {create.length > 0 && (
          <Button size="small" onClick={() => setCopying(true)}>
            Copy as my own…
          </Button>
        )}
      </div>
      {own && <OwnPageBar name={name} />}
      {copying && <NewOwnPage shelves={create} copyOf={{ name, label: page.data.label }} close={() => setCopying(false)} />}
      <PageFilters choices={page.data.filters} filters={filters} onChange={setFilters} />
      <PageView
        page={page.data}
        acts={{
          filters,
          select: (exhibit, column, value) => setFilters(withSelected(filters, exhibit, column, value)),
          beneath: (exhibit, key, title) => setBeneath({ exhibit, key, title }),
          save: page.data.may_export ? save : undefined,
        }}
      />
      {beneath && (
        <Beneath
          page={name}
          columns={page.data.columns}
          asked={{ exhibit: beneath.exhibit, key: beneath.key, filters, limit: MOST_ROWS, offset: 0, beneath: true }}
          title={beneath.title}
          save={page.data.may_export ? (format) => save(beneath.exhibit, format, beneath.key, true) : undefined}
          close={() => setBeneath(null)}
        />
      )}
    </>
  );
}

type BeneathProps = {
  columns: Schemas["PageAnswer"]["columns"];
  page: string;
  asked: Schemas["BeneathRequest"];
  title: string;
  save?: (format: "csv" | "xlsx") => void;
  close: () => void;
};

function Beneath({ page, columns, asked, title, save, close }: BeneathProps) {
  const rows = useQuery(queries.myBeneath(page, asked));
  return (
    <Drawer
      open
      onClose={close}
      placement="bottom"
      height="62%"
      title={`Rows beneath ${title}`}
      extra={
        save &&
        rows.data &&
        rows.data.rows.length > 0 && (
          <span className="row">
            <Button size="small" onClick={() => save("csv")}>
              Save as CSV
            </Button>
            <Button size="small" onClick={() => save("xlsx")}>
              Save as XLSX
            </Button>
          </span>
        )
      }
    >
      {rows.isError && <Notice kind="bad">{rows.error.message}</Notice>}
      {rows.isPending && <p className="soft">Listing the rows…</p>}
      {rows.data && <RowsTable rows={rows.data} columns={columns} />}
    </Drawer>
  );
}
