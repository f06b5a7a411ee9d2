import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button, Popconfirm, Select } from "antd";
import { useState } from "react";
import { api, data } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { useRights } from "../../state/rights";
import { Impact } from "../../ui/Impact";
import { Notice } from "../../ui/Notice";
import { Changes } from "./Changes";

/** All releases: what each changed, any two compared, return to an earlier one, its bundle. */
export function History() {
  const history = useQuery(queries.releases());
  const changed = useChanged();
  const { message } = App.useApp();
  const { everywhere } = useRights();
  const [pair, setPair] = useState<{ before: number; after: string } | null>(null);
  const back = useMutation({
    mutationFn: (number: number) => data(api.POST("/api/releases/{number}/return", { params: { path: { number } } })),
    onSuccess: async () => {
      await changed();
      message.success("The draft is as it was then. Review it above; it is live with the next release.");
      window.scrollTo({ top: 0 });
    },
  });
  const releases = history.data?.releases ?? [];
  const newest = releases[0]?.number;
  return (
    <>
      <h3>History</h3>
      {back.isError && <Notice kind="bad">{back.error.message}</Notice>}
      <table className="data">
        <thead>
          <tr>
            <th>Release</th>
            <th>When</th>
            <th>By</th>
            <th>What for</th>
            <th>Changes</th>
            <th>
              <span className="visually-hidden">Acts</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {releases.map((item) => (
            <tr key={item.number}>
              <td>
                <b>{item.number}</b> <code className="soft">{item.hash.slice(0, 10)}</code>
              </td>
              <td>{new Date(item.at).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" })}</td>
              <td>
                {item.by ?? "Moorland"}
                {item.asked_by && <div className="small soft">asked for by {item.asked_by}</div>}
              </td>
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
              <td>
                <div className="row">
                  <Button
                    size="small"
                    aria-label={`Compare release ${item.number}`}
                    onClick={() => setPair({ before: item.number, after: item.number === newest ? "draft" : String(newest) })}
                  >
                    Compare
                  </Button>
                  {item.number !== newest && everywhere("roles") && (
                    <Popconfirm
                      title={`Make the draft what release ${item.number} was?`}
                      description="Edits of the draft that are not released are lost. Nothing is live before you release it."
                      okText="Return to it"
                      onConfirm={() => back.mutate(item.number)}
                    >
                      <Button size="small" aria-label={`Return to release ${item.number}`} loading={back.isPending}>
                        Return to it
                      </Button>
                    </Popconfirm>
                  )}
                  {everywhere("settings") && (
                    <a href={`/api/releases/${item.number}/bundle`} download aria-label={`Bundle of release ${item.number}`}>
                      bundle
                    </a>
                  )}
                </div>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {pair && <Compared pair={pair} set={setPair} numbers={releases.map((item) => item.number)} />}
    </>
  );
}

function Compared({
  pair,
  set,
  numbers,
}: {
  pair: { before: number; after: string };
  set: (pair: { before: number; after: string } | null) => void;
  numbers: number[];
}) {
  const found = useQuery(queries.releasesCompared(pair.before, pair.after));
  return (
    <section aria-label="Two states compared" className="above-12">
      <div className="row">
        <h3>From</h3>
        <Select
          aria-label="From which release"
          value={pair.before}
          onChange={(before) => set({ ...pair, before })}
          options={numbers.map((number) => ({ value: number, label: `release ${number}` }))}
        />
        <h3>to</h3>
        <Select
          aria-label="To which release"
          value={pair.after}
          onChange={(after) => set({ ...pair, after })}
          options={[
            { value: "draft", label: "the draft" },
            ...numbers.map((number) => ({ value: String(number), label: `release ${number}` })),
          ]}
        />
        <span className="soft small">for the people of today</span>
        <span className="grow" />
        <Button size="small" onClick={() => set(null)}>
          Close
        </Button>
      </div>
      {found.isPending && <p className="soft">Comparing…</p>}
      {found.isError && <Notice kind="bad">{found.error.message}</Notice>}
      {found.data && found.data.changes.length === 0 && <p className="soft">They are the same.</p>}
      {found.data && found.data.changes.length > 0 && (
        <>
          <Changes changes={found.data.changes} />
          <h3>Who gains and who loses</h3>
          <Impact groups={found.data.viewers} />
        </>
      )}
    </section>
  );
}
