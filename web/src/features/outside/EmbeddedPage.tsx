import { useQuery } from "@tanstack/react-query";
import { Drawer } from "antd";
import { useState } from "react";
import { ApiError } from "../../api/client";
import { given } from "../../api/download";
import { framedBeneath, framedFile, framedPage, said } from "../../api/outside";
import type { Key } from "../../ui/chartLines";
import { Notice } from "../../ui/Notice";
import { PageFilters, withSelected } from "../../ui/PageFilters";
import { type PageFilter, PageView, RowsTable } from "../../ui/PageView";
import "./outside.css";

/** One page in a frame of another application, for somebody it vouches for. */
export default function EmbeddedPage() {
  const name = decodeURIComponent(decodeURIComponent(window.location.pathname.replace("/embed/", "")));
  const refused = said("refused");
  if (refused || !said("ticket"))
    return (
      <main className="embedded">
        <Notice kind="careful">{refused ?? "This page is shown inside another application."}</Notice>
      </main>
    );
  return <Page name={name} />;
}

function Page({ name }: { name: string }) {
  const [filters, setFilters] = useState<PageFilter[]>([]);
  const [beneath, setBeneath] = useState<{ exhibit: number; key: Key; title: string } | null>(null);
  const [failed, setFailed] = useState<string | null>(null);
  const page = useQuery({
    queryKey: ["framed", name, filters],
    queryFn: () => framedPage(name, { filters }),
    retry: false,
    staleTime: 30_000,
  });
  const rows = useQuery({
    queryKey: ["framed beneath", name, filters, beneath],
    queryFn: () =>
      framedBeneath(name, { exhibit: beneath?.exhibit ?? 0, key: beneath?.key ?? [], filters, limit: 200, offset: 0, beneath: true }),
    enabled: beneath !== null,
    retry: false,
  });
  const save = (exhibit: number, format: "csv" | "xlsx", key: Key = []) =>
    framedFile(name, { exhibit, format, key, filters, beneath: false, limit: 100_000 })
      .then((file) => given(file, `${name}.${format}`))
      .catch((error: Error) => setFailed(error.message));
  if (page.isError)
    return (
      <main className="embedded">
        <Notice kind="careful">
          {page.error instanceof ApiError && page.error.status === 401
            ? "This page has been open for as long as it may. Open it again in the application around it."
            : page.error.message}
        </Notice>
      </main>
    );
  if (!page.data) return null;
  return (
    <main className="embedded">
      <h1>{page.data.label}</h1>
      {failed && <Notice kind="bad">{failed}</Notice>}
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
        <Drawer open onClose={() => setBeneath(null)} placement="bottom" height="62%" title={`Rows beneath ${beneath.title}`}>
          {rows.isError && <Notice kind="bad">{rows.error.message}</Notice>}
          {rows.data && <RowsTable rows={rows.data} columns={page.data.columns} />}
        </Drawer>
      )}
    </main>
  );
}
