import { useMutation } from "@tanstack/react-query";
import { Button, Checkbox, Select } from "antd";
import { useState } from "react";
import { api, data, type Schemas } from "../../api/client";
import { usePeople } from "../../state/directory";
import { count } from "../../ui/figures";
import { Notice } from "../../ui/Notice";

const MOST = 12;

/** What each way to ask is, in words. */
const WAYS: Record<string, string> = {
  together: "asked together with many others, as Reach and promises are",
  sql: "written as SQL",
  "pushed down": "in SQL that a database with the tables answers",
  api: "over the API, as JSON",
  "door, text": "at the query door, as text",
  "door, binary": "at the query door, in binary",
  "door, cursor": "at the query door, part by part",
  "door, copy": "at the query door, copied",
  export: "pages, saved as files",
  embedding: "pages, in frames of other applications",
};

/** The same questions through every way to ask: each has to give what the others give. */
export function Parity() {
  const people = usePeople();
  const [chosen, setChosen] = useState<string[]>([]);
  const [pushed, setPushed] = useState(false);
  const run = useMutation({ mutationFn: () => data(api.POST("/api/parity", { body: { logins: chosen, pushed_down: pushed } })) });
  const listed = (people.data?.people ?? []).filter((person) => person.kind === "person");
  return (
    <section aria-label="Parity">
      <h2>Parity</h2>
      <p className="soft most-980">
        Whoever asks, and however they ask, gets the same answer. This asks questions about everything that exists for some people, once by
        each way, and compares every value. A difference is an error of Moorland.
      </p>
      <div className="row wrap below-8">
        <Select
          aria-label="Whom to ask as"
          className="parity-people"
          mode="multiple"
          maxCount={MOST}
          optionFilterProp="label"
          placeholder={`Whom to ask as, at most ${MOST}`}
          value={chosen}
          onChange={setChosen}
          options={listed.map((person) => ({ value: person.login, label: `${person.name} · ${person.login}` }))}
        />
        <Checkbox checked={pushed} onChange={(event) => setPushed(event.target.checked)}>
          and in a database of its own (takes a while)
        </Checkbox>
        <Button type="primary" disabled={chosen.length === 0} loading={run.isPending} onClick={() => run.mutate()}>
          Compare
        </Button>
      </div>
      {run.isPending && <p className="soft">Asking as {chosen.join(", ")}…</p>}
      {run.isError && <Notice kind="bad">{run.error.message}</Notice>}
      {run.data && !run.isPending && <Compared found={run.data} />}
    </section>
  );
}

function Compared({ found }: { found: Schemas["ParityAnswer"] }) {
  const differ = found.ways.reduce((sum, way) => sum + way.differ, 0);
  const compared = found.ways.reduce((sum, way) => sum + way.compared, 0);
  return (
    <section aria-label="What was compared">
      {differ === 0 ? (
        <Notice kind="good">
          <b>{count(compared)} answers compared, all the same</b>, in {found.seconds.toFixed(1)} seconds.
        </Notice>
      ) : (
        <Notice kind="bad">
          <b>{count(differ)} answers differ</b> of {count(compared)} compared. Each is an error; the first are below.
        </Notice>
      )}
      <table className="data above-6" aria-label="Ways to ask">
        <thead>
          <tr>
            <th>way to ask</th>
            <th className="number">answers compared</th>
            <th className="number">differ</th>
          </tr>
        </thead>
        <tbody>
          {found.ways.map((way) => (
            <tr key={way.way}>
              <td>
                {way.way} <span className="soft">{WAYS[way.way]}</span>
              </td>
              <td className="number">{way.compared === 0 ? <span className="soft">nothing to compare</span> : count(way.compared)}</td>
              <td className="number">{way.differ === 0 ? "none" : <b className="warn">{count(way.differ)}</b>}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {found.differences.map((item) => (
        <article key={`${item.viewer} ${item.way} ${item.question}`} className="difference">
          <h3>
            {item.viewer}, {item.way}
          </h3>
          <code className="breaks-anywhere">{item.question}</code>
          <dl>
            <dt>alone</dt>
            <dd className="mono">{item.expected}</dd>
            <dt>{item.way}</dt>
            <dd className="mono">{item.found}</dd>
          </dl>
        </article>
      ))}
    </section>
  );
}
