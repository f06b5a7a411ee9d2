import { useQuery } from "@tanstack/react-query";
import { App, Button, Drawer, Dropdown } from "antd";
import { useEffect, useState } from "react";
import { Link, NavLink, useParams } from "react-router-dom";
import { ApiError, nameInAddress, type Schemas } from "../../api/client";
import { saveFile } from "../../api/download";
import { queries } from "../../api/queries";
import { Brand } from "../../ui/Brand";
import { ChangePassword } from "../../ui/ChangePassword";
import type { Key } from "../../ui/chartLines";
import { Empty, Notice } from "../../ui/Notice";
import { PageFilters, withSelected } from "../../ui/PageFilters";
import { type PageFilter, PageView, RowsTable } from "../../ui/PageView";
import { useAccountMenu } from "../../ui/useAccountMenu";
import { useOpenFirst } from "../../ui/useOpenFirst";
import "./my.css";

const MOST_ROWS = 200;

/** What a viewer may open, as it really is for them. No word about what is withheld. */
export default function MyPages({ session }: { session: Schemas["SessionAnswer"] }) {
  const { page: wanted } = useParams();
  const [changing, setChanging] = useState(false);
  const menu = useAccountMenu(session, () => setChanging(true));
  const mine = useQuery(queries.myPages());
  const first = mine.data?.shelves[0]?.pages[0];
  useOpenFirst("/my", first?.name);
  return (
    <div className="my">
      <header>
        <Brand />
        <span className="soft cut">{session.workspace}</span>
        <span className="grow" />
        {(session.account?.acts.length ?? 0) > 0 && <Link to="/">Back to the workspace</Link>}
        {changing && <ChangePassword close={() => setChanging(false)} />}
        <Dropdown menu={menu} trigger={["click"]}>
          <Button aria-label={`Account ${session.account?.name ?? ""}`}>{session.account?.name}</Button>
        </Dropdown>
      </header>
      <nav aria-label="My pages">
        {mine.data?.shelves.map((shelf) => (
          <div key={shelf.name}>
            <h3>{shelf.label}</h3>
            {shelf.pages.map((item) => (
              <NavLink
                key={item.name}
                to={`/my/${encodeURIComponent(item.name)}`}
                className={({ isActive }) => `line ${isActive ? "on" : ""}`}
              >
                {item.label}
              </NavLink>
            ))}
          </div>
        ))}
      </nav>
      <main>
        {mine.isError && <Notice kind="bad">{mine.error.message}</Notice>}
        {mine.data?.shelves.length === 0 && (
          <Empty title="There are no pages for you yet">
            <p>When a page is opened to you, it appears here.</p>
          </Empty>
        )}
        {wanted && <MyPage key={wanted} name={wanted} account={session.account?.login ?? ""} />}
      </main>
    </div>
  );
}

/** The filters somebody last used on a page, kept on their own machine. */
function rememberedFilters(key: string): PageFilter[] {
  try {
    return JSON.parse(localStorage.getItem(key) ?? "[]") as PageFilter[];
  } catch {
    return [];
  }
}

function MyPage({ name, account }: { name: string; account: string }) {
  const kept = `moorland.${account}.filters.${name}`;
  const { message } = App.useApp();
  const [filters, setFilters] = useState<PageFilter[]>(() => rememberedFilters(kept));
  const [beneath, setBeneath] = useState<{ exhibit: number; key: Key; title: string } | null>(null);
  const page = useQuery(queries.myPage(name, { filters }));
  useEffect(() => {
    if (filters.length > 0) localStorage.setItem(kept, JSON.stringify(filters));
    else localStorage.removeItem(kept);
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
      <h1>{page.data.label}</h1>
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
