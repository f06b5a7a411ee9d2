import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button, Checkbox } from "antd";
import { useState } from "react";
import { api, data, type Schemas } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { plural } from "../../ui/figures";
import { Notice } from "../../ui/Notice";
import { when } from "../../ui/when";
import { ByItself } from "./ByItself";
import { PromiseForm } from "./PromiseForm";
import { forWhom, inWords } from "./words";

type Entry = Schemas["PromiseEntry"];

/** What must hold, for whom, and whether it does: in the draft, and live. */
export function Promises() {
  const found = useQuery(queries.promises());
  const changed = useChanged();
  const { message } = App.useApp();
  const [editing, setEditing] = useState<Entry | "new" | null>(null);
  const [onlyBroken, setOnlyBroken] = useState(false);
  const take = useMutation({
    mutationFn: (entry: Entry) =>
      data(api.DELETE("/api/promises/of/{name}", { params: { path: { name: entry.name }, query: { version: entry.version } } })),
    onSuccess: async () => {
      await changed();
      message.success("Taken out of the draft.");
    },
    onError: (error) => message.error(error.message),
  });
  if (found.isError) return <Notice kind="bad">{found.error.message}</Notice>;
  if (!found.data) return <p className="soft">Running the promises…</p>;
  const { promises, may_write } = found.data;
  const broken = promises.filter((entry) => !entry.draft.kept);
  // What is broken stands first.
  const shown = onlyBroken ? broken : [...broken, ...promises.filter((entry) => entry.draft.kept)];
  return (
    <section aria-label="Promises">
      <div className="row below-8">
        <h2>Promises</h2>
        <span className="soft">what must hold for somebody; a broken one stands in the way of a release</span>
        <span className="grow" />
        {may_write && (
          <Button type="primary" onClick={() => setEditing("new")}>
            + promise
          </Button>
        )}
      </div>
      <ByItself />
      {promises.length === 0 ? (
        <p className="soft">
          Nothing is promised yet. Write down what must hold, “contractors see no costs”, and every change is held against it from then on.
        </p>
      ) : broken.length === 0 ? (
        <Notice kind="good">
          <b>All {promises.length} kept</b> by the draft.
        </Notice>
      ) : (
        <Notice kind="bad">
          <b>
            {broken.length} of {plural(promises.length, "promise")} broken
          </b>{" "}
          by the draft.{" "}
          <Checkbox checked={onlyBroken} onChange={(event) => setOnlyBroken(event.target.checked)}>
            show only these
          </Checkbox>
        </Notice>
      )}
      {shown.length > 0 && (
        <table className="data promises above-6" aria-label="Promises">
          <thead>
            <tr>
              <th>promise</th>
              <th>draft</th>
              <th>live</th>
              <th>
                <span className="visually-hidden">Acts</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {shown.map((entry) => (
              <tr key={entry.name}>
                <td className="wraps">
                  <b>{entry.label}</b>
                  {entry.promise && (
                    <div className="soft small">
                      {forWhom(entry.promise.viewer, entry.promise.viewers)}: {inWords(entry.promise.must)}
                    </div>
                  )}
                </td>
                <td className="wraps">
                  <Outcome outcome={entry.draft} />
                </td>
                <td className="wraps">{entry.live ? <Outcome outcome={entry.live} /> : <span className="soft">nothing is live</span>}</td>
                <td>
                  {may_write && (
                    <div className="row">
                      <Button size="small" disabled={!entry.promise} aria-label={`Change ${entry.label}`} onClick={() => setEditing(entry)}>
                        Change
                      </Button>
                      <Button size="small" aria-label={`Take out ${entry.label}`} onClick={() => take.mutate(entry)}>
                        Take out
                      </Button>
                    </div>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {editing && <PromiseForm entry={editing === "new" ? null : editing} close={() => setEditing(null)} />}
    </section>
  );
}

function Outcome({ outcome }: { outcome: Schemas["PromiseOutcome"] }) {
  return (
    <>
      {outcome.kept ? <span>kept</span> : <b className="warn">broken</b>}
      {outcome.since && <span className="soft small"> since {when(outcome.since)}</span>}
      {outcome.message && !outcome.kept && <div className="small">{outcome.message}</div>}
    </>
  );
}
