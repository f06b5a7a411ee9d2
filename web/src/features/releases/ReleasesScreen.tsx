import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button, Input } from "antd";
import { useState } from "react";
import { Link } from "react-router-dom";
import { api, data, type Schemas } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { plural } from "../../ui/figures";
import { Impact } from "../../ui/Impact";
import { Notice } from "../../ui/Notice";
import "../../ui/sentences/sentences.css";

type Change = Schemas["ItemChange"];

function said(value: unknown): string {
  if (value === null || value === undefined) return "nothing";
  if (typeof value !== "object") return String(value);
  const sentence = value as Record<string, Record<string, unknown>>;
  if (sentence.rows) return `${String(sentence.rows.table)} where ${String(sentence.rows.where)}`;
  return JSON.stringify(value);
}

function Changes({ changes }: { changes: Change[] }) {
  return (
    <>
      {changes.map((change) => (
        <div key={`${change.kind}.${change.name}`} className="sentence">
          <b>{change.label}</b> <span className="soft">{change.kind.replace(/s$/, "")}</span> <span className="kw">{change.change}</span>
          {change.differences.map((part, index) => (
            <div key={`${part.path}.${String(index)}`} className="small above-4">
              <span className="soft">{part.path}:</span>
              <div>
                <span className="soft">was</span> <code>{said(part.before)}</code>
              </div>
              <div>
                <span className="soft">now</span> <code>{said(part.after)}</code>
              </div>
            </div>
          ))}
        </div>
      ))}
    </>
  );
}

/** The draft against live: what was edited, who gains and loses, release; and the history. */
export default function ReleasesScreen() {
  const changed = useChanged();
  const { message } = App.useApp();
  const [note, setNote] = useState("");
  const [override, setOverride] = useState("");
  const pending = useQuery(queries.pending());
  const history = useQuery(queries.releases());
  const release = useMutation({
    mutationFn: (hash: string) => data(api.POST("/api/releases", { body: { hash, note, override } })),
    onSuccess: async (made) => {
      setNote("");
      setOverride("");
      await changed();
      message.success(`Release ${made.number} is live.`);
    },
    onError: () => changed("release"),
  });
  const draft = pending.data;
  return (
    <div className="pad most-980">
      <h2>The draft against live</h2>
      {pending.isPending && <p className="soft">Working out what changes and for whom…</p>}
      {pending.isError && <Notice kind="bad">{pending.error.message}</Notice>}
      {release.isError && <Notice kind="bad">{release.error.message}</Notice>}
      {draft && draft.changes.length === 0 && (
        <p className="soft" data-testid="nothing-pending">
          The draft is the same as release {draft.live ?? "–"}. Edit a role, and it shows up here.
        </p>
      )}
      {draft && draft.changes.length > 0 && (
        <>
          <h3>{plural(draft.changes.length, "change")}</h3>
          <Changes changes={draft.changes} />
          <h3>Who gains and who loses</h3>
          <Impact viewers={draft.viewers} />
          {draft.broken.length > 0 && (
            <div data-testid="broken-promises">
              <Notice kind="bad">
                <b>{plural(draft.broken.length, "promise")} broken</b> by the draft, and in the way of this release:
                <ul>
                  {draft.broken.map((item) => (
                    <li key={item.name}>
                      {item.label}
                      {item.message && <span className="soft"> — {item.message}</span>}
                    </li>
                  ))}
                </ul>
                <Link to="/checks/promises">Look at the promises</Link>, or say why it is released all the same:
              </Notice>
              <Input
                aria-label="Why it is released all the same"
                placeholder="Why it is released all the same"
                className="most-420"
                value={override}
                onChange={(event) => setOverride(event.target.value)}
              />
            </div>
          )}
          <div className="row above-12">
            <Input
              aria-label="What this release is for"
              placeholder="What this release is for"
              value={note}
              onChange={(event) => setNote(event.target.value)}
              className="most-420"
            />
            <Button
              type="primary"
              loading={release.isPending}
              disabled={draft.broken.length > 0 && override.trim() === ""}
              onClick={() => release.mutate(draft.hash)}
            >
              Release now
            </Button>
            <span className="soft small">Viewers get it at once.</span>
          </div>
        </>
      )}
      <h3>History</h3>
      <table className="data">
        <thead>
          <tr>
            <th>Release</th>
            <th>When</th>
            <th>By</th>
            <th>What for</th>
            <th>Changes</th>
          </tr>
        </thead>
        <tbody>
          {history.data?.releases.map((item) => (
            <tr key={item.number}>
              <td>
                <b>{item.number}</b> <code className="soft">{item.hash.slice(0, 10)}</code>
              </td>
              <td>{new Date(item.at).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" })}</td>
              <td>{item.by ?? "Moorland"}</td>
              <td className="wraps">{item.note}</td>
              <td className="wraps">
                {item.changes.length > 0 ? (
                  <details>
                    <summary>{item.changes.map((change) => `${change.label} ${change.change}`).join(", ")}</summary>
                    <Changes changes={item.changes} />
                  </details>
                ) : (
                  <span className="soft">the beginning</span>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
