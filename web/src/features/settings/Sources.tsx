import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button } from "antd";
import { useState } from "react";
import { api, data, type Schemas } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { Notice } from "../../ui/Notice";
import { when } from "../../ui/when";
import { SourceForm } from "./SourceForm";

type Entry = Schemas["SourceEntry"];

/** Engines whose tables stay where they are: which there are, what stays in them, and whether they answer. */
export function Sources() {
  const found = useQuery(queries.sources());
  const changed = useChanged();
  const { message, modal } = App.useApp();
  const [editing, setEditing] = useState<Entry | "new" | null>(null);
  const forget = useMutation({
    mutationFn: (entry: Entry) =>
      data(api.DELETE("/api/sources/of/{name}", { params: { path: { name: entry.source.name }, query: { version: entry.version } } })),
    onSuccess: async () => {
      await changed();
      message.success("Forgotten.");
    },
    onError: (error) => message.error(error.message),
  });
  if (found.isError) return <Notice kind="bad">{found.error.message}</Notice>;
  if (!found.data) return <p className="soft">Looking…</p>;
  const { sources, folders, hosts, may_add } = found.data;
  return (
    <section aria-label="Sources">
      <div className="row below-8">
        <h2>Sources</h2>
        <span className="soft">databases whose tables stay where they are, and are asked there</span>
        <span className="grow" />
        {may_add && (
          <Button type="primary" onClick={() => setEditing("new")}>
            + source
          </Button>
        )}
      </div>
      {sources.length === 0 && (
        <p className="soft most-980">
          No source yet. Add one to leave large tables, or tables that must not be copied, in PostgreSQL, DuckDB, SQLite or an engine that
          speaks Spark Connect; roles, tests and promises are the same for them. Tables that fit are quickest brought in as files.
        </p>
      )}
      {sources.length > 0 && (
        <table className="data" aria-label="Sources">
          <thead>
            <tr>
              <th>source</th>
              <th>where</th>
              <th>figures</th>
              <th>tables that stay there</th>
              <th>answers</th>
              <th>
                <span className="visually-hidden">Acts</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {sources.map((entry) => (
              <tr key={entry.source.name}>
                <td className="wraps">
                  <b>{entry.source.label || entry.source.name}</b> {entry.source.label && <code>{entry.source.name}</code>}
                  {entry.source.about && <div className="small soft">{entry.source.about}</div>}
                </td>
                <td>
                  {whereOf(entry.source)}
                  {entry.source.writable && <div className="small soft">rows may be changed there</div>}
                </td>
                <td>{ageOf(entry.source)}</td>
                <td className="wraps">
                  {entry.used.length === 0 ? "none yet" : entry.used.map((item) => `${item.table} (${item.relation.join(".")})`).join(", ")}
                </td>
                <td className="wraps">
                  {entry.trouble ? (
                    <>
                      <b className="warn">failed</b>
                      {entry.troubled_at && <span className="soft small"> {when(entry.troubled_at)}</span>}
                      <div className="small">{entry.trouble}</div>
                    </>
                  ) : (
                    <span>no trouble seen</span>
                  )}
                </td>
                <td>
                  {may_add && (
                    <div className="row">
                      <Button size="small" aria-label={`Change ${entry.source.name}`} onClick={() => setEditing(entry)}>
                        Change
                      </Button>
                      <Button
                        size="small"
                        aria-label={`Forget ${entry.source.name}`}
                        disabled={entry.used.length > 0}
                        title={entry.used.length > 0 ? "Tables stay in it." : undefined}
                        onClick={() =>
                          modal.confirm({
                            title: `Forget the source ${entry.source.name}?`,
                            content: "Its settings and its secret are gone; nothing changes in the database.",
                            okText: "Forget it",
                            okButtonProps: { danger: true },
                            onOk: () => forget.mutateAsync(entry).catch(() => undefined),
                          })
                        }
                      >
                        Forget
                      </Button>
                    </div>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {may_add && (
        <p className="soft small above-12 most-980">
          Named on the machine: files lie in {folders.length > 0 ? folders.join(", ") : "no folder yet (MOORLAND_SOURCE_FOLDERS)"}, and
          databases are on {hosts.join(", ") || "no host yet"} (MOORLAND_SOURCE_HOSTS).
        </p>
      )}
      {editing && <SourceForm entry={editing === "new" ? null : editing} close={() => setEditing(null)} />}
    </section>
  );
}

/** Where a source is, in words. */
function whereOf({ kind, file, host, port, database }: Schemas["Source"]): string {
  const names = { postgres: "PostgreSQL", duckdb: "DuckDB", sqlite: "SQLite", spark: "Spark Connect" } as const;
  return file ? `${names[kind]}, ${file}` : `${names[kind]}, ${database ? `${database} on ` : ""}${host}${port ? `:${port}` : ""}`;
}

/** How old figures may be, in words. */
function ageOf({ minutes = 10, marker }: Schemas["Source"]): string {
  if (marker) return `as long as ${marker.relation.join(".")}.${marker.column} is the same`;
  return minutes === 0 ? "asked anew each time" : `up to ${minutes} ${minutes === 1 ? "minute" : "minutes"} old`;
}
