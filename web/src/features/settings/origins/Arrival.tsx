import { useMutation } from "@tanstack/react-query";
import { App, Button } from "antd";
import { api, data, type Schemas } from "../../../api/client";
import { plural } from "../../../ui/figures";
import { Breaks, Impact } from "../../../ui/Impact";
import { alike } from "../../../ui/impactLines";
import { Notice } from "../../../ui/Notice";
import { Scroll } from "../../../ui/Scroll";

type Report = Schemas["ArrivalReport"];
type Row = Schemas["ArrivedRow"];

const WORDS: [string, string][] = [
  ["created", "new"],
  ["changed", "changed"],
  ["gone", "gone, to be disabled"],
  ["refused", "refused"],
  ["unchanged", "as they are"],
];

/** What a run would do: people by outcome, who gains and loses, and what of it is beyond the bounds. */
export function Arrival({ report, origin, joined }: { report: Report; origin: string | null; joined?: () => void }) {
  return (
    <div>
      <div className="row wrap below-8" data-testid="arrival-counts">
        {WORDS.filter(([key]) => report.counts[key]).map(([key, word]) => (
          <span key={key} className={key === "refused" || key === "gone" ? "warn" : ""}>
            <b>{(report.counts[key] ?? 0).toLocaleString("en-GB")}</b> {word}
          </span>
        ))}
      </div>
      {(report.beyond ?? []).length > 0 && (
        <Notice kind="careful">
          <b>By itself this would be held.</b> {(report.beyond ?? []).join(" ")}
        </Notice>
      )}
      {(report.notes ?? []).map((note) => (
        <Notice key={note} kind="careful">
          {note}
        </Notice>
      ))}
      <Breaks promises={report.broken ?? []} />
      <h3>Who gains and who loses</h3>
      <Impact groups={alike(report.viewers ?? [])} />
      {report.rows.length > 0 && (
        <>
          <h3>By person</h3>
          <Arrived rows={report.rows} origin={origin} joined={joined} />
          {(report.more ?? 0) > 0 && <p className="soft small">and {plural(report.more ?? 0, "other")}</p>}
        </>
      )}
    </div>
  );
}

/** What becomes of each; an entry whose login is taken can be joined to the account that has it. */
export function Arrived({ rows, origin, joined }: { rows: Row[]; origin: string | null; joined?: (() => void) | undefined }) {
  const { message } = App.useApp();
  const join = useMutation({
    mutationFn: (row: Row) =>
      data(
        api.POST("/api/settings/origins/of/{name}/joins", {
          params: { path: { name: origin ?? "" } },
          body: { entry: row.key, login: row.taken ?? "" },
        }),
      ),
    onSuccess: (_, row) => {
      message.success(`${row.taken} will be this entry's person with the next run.`);
      joined?.();
    },
    onError: (error) => message.error(error.message),
  });
  return (
    <Scroll label="What becomes of each" className="scroll low-420">
      <table className="data" aria-label="What becomes of each person">
        <thead>
          <tr>
            <th>person</th>
            <th>becomes</th>
            <th>what changes, or why not</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={row.key}>
              <td>{row.name}</td>
              <td className={row.outcome === "refused" || row.outcome === "gone" ? "warn" : ""}>
                {row.outcome === "created" ? "new" : row.outcome}
              </td>
              <td className="wraps">
                {row.why ?? (row.changes ?? []).join("; ")}
                {row.taken && origin && joined && (
                  <>
                    {" "}
                    <Button size="small" loading={join.isPending} onClick={() => join.mutate(row)}>
                      They are the same person
                    </Button>
                  </>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Scroll>
  );
}
