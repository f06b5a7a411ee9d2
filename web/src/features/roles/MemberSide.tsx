import { useQuery } from "@tanstack/react-query";
import { Button, Modal, Select } from "antd";
import { useState } from "react";
import { Link } from "react-router-dom";
import type { Role, Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { useRoles } from "../../state/directory";
import { plural } from "../../ui/figures";
import { Notice } from "../../ui/Notice";
import { count } from "../../ui/Share";
import { AddMapping } from "./Mapping";

type Props = { about: Schemas["ReachQuestion"]; title: string; edited: Role[]; close: () => void };

/** From the member's side: everybody who may see it, through which role and sentence; a group can be added there. */
export function MemberSide({ about, title, edited, close }: Props) {
  const roles = useRoles();
  const [mapping, setMapping] = useState<string | null>(null);
  const reach = useQuery(queries.reaching({ about, edited }));
  const entries = roles.data?.roles ?? [];
  const people = reach.data?.people ?? [];
  const through = new Map<string, { label: string; people: number; rows: number; sentences: number[] }>();
  for (const person of people) {
    for (const role of person.through) {
      const known = through.get(role.role) ?? { label: role.label, people: 0, rows: 0, sentences: role.sentences };
      through.set(role.role, { ...known, people: known.people + 1, rows: Math.max(known.rows, role.rows) });
    }
  }
  const mapped = entries.find((entry) => entry.role.name === mapping);
  return (
    <Modal open width={680} title={`Who sees ${title}`} onCancel={close} footer={<Button onClick={close}>Close</Button>}>
      {reach.isError && <Notice kind="bad">{reach.error.message}</Notice>}
      {reach.isPending && <p className="soft">Asking for everybody…</p>}
      {reach.data && (
        <>
          <p className="soft">
            {plural(reach.data.rows, "row")} at or beneath it. {plural(people.length, "person", "people")} see some of them in the draft,
            unsaved edits included.
          </p>
          <h3>Through</h3>
          <table className="data">
            <tbody>
              {[...through].map(([name, role]) => (
                <tr key={name}>
                  <td>
                    <Link to={`/roles/${encodeURIComponent(name)}`} onClick={close}>
                      {role.label}
                    </Link>
                  </td>
                  <td className="soft">
                    {role.sentences.length > 0
                      ? `by ${role.sentences.length > 1 ? "sentences" : "sentence"} ${role.sentences.map((place) => place + 1).join(", ")}`
                      : "which restricts no row here"}
                  </td>
                  <td className="number">{plural(role.people, "person", "people")}</td>
                  <td className="right">
                    <button type="button" className="textlink" onClick={() => setMapping(name)}>
                      map a group to it
                    </button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          {through.size === 0 && <p className="soft">No role opens it to anybody.</p>}
          <div className="row small around-6-0">
            <span className="soft">Open it to a group by another role:</span>
            <Select
              size="small"
              showSearch
              aria-label="Role to map"
              placeholder="role"
              className="least-180"
              value={null}
              optionFilterProp="label"
              onChange={(name: string) => setMapping(name)}
              options={entries
                .filter((entry) => entry.role.kind === "grant")
                .map((entry) => ({ value: entry.role.name, label: entry.role.label ?? entry.role.name }))}
            />
          </div>
          <h3>People</h3>
          <div className="scroll low-260">
            <table className="data">
              <thead>
                <tr>
                  <th>Person</th>
                  <th className="number">rows</th>
                  <th>by</th>
                </tr>
              </thead>
              <tbody>
                {people.slice(0, 500).map((person) => (
                  <tr key={person.login}>
                    <td>
                      {person.name} <span className="soft small">{person.login}</span>
                    </td>
                    <td className="number">
                      {count(person.rows)} of {count(reach.data.rows)}
                      {person.listed < person.rows && (
                        <span className="soft small">{person.listed === 0 ? " in totals only" : `, ${count(person.listed)} listed`}</span>
                      )}
                    </td>
                    <td>{person.through.map((role) => role.label).join(", ")}</td>
                  </tr>
                ))}
              </tbody>
            </table>
            {people.length > 500 && <p className="soft small">The first 500 of {count(people.length)}.</p>}
          </div>
        </>
      )}
      {mapped && <AddMapping entry={mapped} close={() => setMapping(null)} />}
    </Modal>
  );
}
