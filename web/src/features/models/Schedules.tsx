import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button } from "antd";
import { useState } from "react";
import { api, data, type ModelAnswer, type Schemas } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { useRights } from "../../state/rights";
import { Notice } from "../../ui/Notice";
import { runsAt } from "../../ui/WhenFields";
import { when as moment } from "../../ui/when";
import { ScheduleForm } from "./ScheduleForm";

type Entry = Schemas["ScheduleEntry"];

const CAME_OF = { running: "running", accepted: "accepted", same: "nothing new", waiting: "waits", failed: "failed" } as const;

/** Refreshes from sources that run by themselves: when, what was agreed, and what came of them. */
export function Schedules({ model }: { model: ModelAnswer }) {
  const name = model.document.name;
  const { may } = useRights();
  const found = useQuery({
    ...queries.schedules(name),
    refetchInterval: (query) => (query.state.data?.schedules.some((item) => item.running) ? 1500 : false),
  });
  const changed = useChanged();
  const { message, modal } = App.useApp();
  const [editing, setEditing] = useState<Entry | "new" | null>(null);
  const done = async (text: string) => {
    await changed();
    message.success(text);
  };
  const run = useMutation({
    mutationFn: (entry: Entry) => data(api.POST("/api/schedules/{key}", { params: { path: { key: entry.id } } })),
    onSuccess: () => done("It runs now."),
    onError: (error) => message.error(error.message),
  });
  const forget = useMutation({
    mutationFn: (entry: Entry) =>
      data(api.DELETE("/api/schedules/{key}", { params: { path: { key: entry.id }, query: { version: entry.version } } })),
    onSuccess: () => done("It runs no more; what was brought in stays."),
    onError: (error) => message.error(error.message),
  });
  if (found.isError) return <Notice kind="bad">{found.error.message}</Notice>;
  const entries = found.data?.schedules ?? [];
  const writes = may("sources");
  if (!found.data || (entries.length === 0 && !writes)) return null;
  return (
    <section aria-label="Schedules" className="above-12">
      <div className="row below-8">
        <h3>By schedule</h3>
        <span className="soft small">refreshed from a source, and accepted by itself within what was agreed; else it waits above</span>
        <span className="grow" />
        {writes && (
          <Button size="small" onClick={() => setEditing("new")}>
            + schedule
          </Button>
        )}
      </div>
      {entries.length === 0 && <p className="soft small">No table of this model is refreshed by itself.</p>}
      {entries.length > 0 && (
        <table className="data" aria-label="Schedules">
          <thead>
            <tr>
              <th>table</th>
              <th>from</th>
              <th>runs</th>
              <th>next</th>
              <th>came of it last</th>
              <th>
                <span className="visually-hidden">Acts</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {entries.map((entry) => {
              const [last] = entry.runs;
              return (
                <tr key={entry.id}>
                  <td>
                    <b>{entry.text.table}</b>
                  </td>
                  <td>
                    {entry.text.source} <code>{entry.text.relation.join(".")}</code>
                  </td>
                  <td>{runsAt(entry.text.when)}</td>
                  <td>{entry.enabled && entry.next_at ? moment(entry.next_at) : "switched off"}</td>
                  <td className="wraps">
                    {entry.running ? (
                      "running…"
                    ) : last ? (
                      <>
                        {last.state === "failed" || last.state === "waiting" ? (
                          <b className="warn">{CAME_OF[last.state]}</b>
                        ) : (
                          <span>{CAME_OF[last.state]}</span>
                        )}
                        <span className="soft small"> {moment(last.began_at)}</span>
                        {last.message && <div className="small">{last.message}</div>}
                      </>
                    ) : (
                      <span className="soft">has not run yet</span>
                    )}
                  </td>
                  <td>
                    {writes && (
                      <div className="row">
                        <Button size="small" loading={run.isPending && run.variables.id === entry.id} onClick={() => run.mutate(entry)}>
                          Run now
                        </Button>
                        <Button size="small" aria-label={`Change the schedule of ${entry.text.table}`} onClick={() => setEditing(entry)}>
                          Change
                        </Button>
                        <Button
                          size="small"
                          aria-label={`Forget the schedule of ${entry.text.table}`}
                          onClick={() =>
                            modal.confirm({
                              title: `Refresh ${entry.text.table} by hand only?`,
                              content: "Its runs are forgotten with the schedule.",
                              okText: "Forget the schedule",
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
              );
            })}
          </tbody>
        </table>
      )}
      {editing && (
        <ScheduleForm
          model={model.document}
          zone={found.data.time_zone}
          taken={entries.map((entry) => entry.text.table)}
          entry={editing === "new" ? null : editing}
          close={() => setEditing(null)}
        />
      )}
    </section>
  );
}
