import { useQuery } from "@tanstack/react-query";
import { Button, Select } from "antd";
import { useMemo, useState } from "react";
import { useSearchParams } from "react-router-dom";
import { queries } from "../../api/queries";
import { usePeople } from "../../state/directory";
import { type Act, actLabel } from "../../state/rights";
import { plural } from "../../ui/figures";
import { Notice } from "../../ui/Notice";
import { DutyForm } from "./DutyForm";
import { type Entry, everywhere, type Names, scopeInWords } from "./duties";
import { WhoCan } from "./WhoCan";

/** Accounts and groups against what they may do, and within what. */
export function Duties() {
  const duties = useQuery(queries.duties());
  const people = usePeople();
  const [parameters, setParameters] = useSearchParams();
  const [editing, setEditing] = useState<Entry | "new" | null>(null);
  const of = parameters.get("of");
  const names = useMemo<Names>(
    () => ({
      people: new Map((people.data?.people ?? []).map((person) => [person.login, person.name])),
      organizations: new Map((people.data?.organizations ?? []).map((item) => [item.name, item.label])),
      groups: new Map((people.data?.groups ?? []).map((item) => [item.name, item.label])),
      other: new Map(Object.entries({ ...duties.data?.shelves, ...duties.data?.roles, ...duties.data?.models })),
    }),
    [people.data, duties.data],
  );
  if (duties.isError) return <Notice kind="bad">{duties.error.message}</Notice>;
  if (!duties.data) return <p className="soft">Opening…</p>;
  const { acts } = duties.data;
  const shown = of ? duties.data.duties.filter((entry) => entry.people.includes(of)) : duties.data.duties;
  return (
    <>
      <div className="row below-8">
        <h2>Duties</h2>
        <span className="soft">what accounts may do here; what they see of the data is a matter of roles</span>
        <span className="grow" />
        <Select
          showSearch
          allowClear
          aria-label="What can this account do?"
          placeholder="What can this account do?"
          className="wide-240"
          optionFilterProp="label"
          value={of}
          onChange={(login?: string) => setParameters(login ? { of: login } : {})}
          options={(people.data?.people ?? []).map((person) => ({ value: person.login, label: `${person.name} · ${person.login}` }))}
        />
        <Button type="primary" onClick={() => setEditing("new")}>
          + duty
        </Button>
      </div>
      {of && (
        <p className="below-8" data-testid="of">
          <b>{names.people.get(of) ?? of}</b>{" "}
          {shown.length === 0
            ? "has no duty: only their own pages."
            : `has ${plural(shown.length, "duty", "duties")}, by themselves or by a group:`}
        </p>
      )}
      {shown.length > 0 && (
        <div className="scrolls">
          <table className="data duties" data-testid="duties">
            <thead>
              <tr>
                <th className="holder">who, and within what</th>
                {acts.map((act) => (
                  <th key={act.name} title={act.allows}>
                    {actLabel(act.name)}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {shown.map((entry) => (
                <tr key={entry.id} className={entry.acting ? "" : "over"}>
                  <td className="holder">
                    <button
                      type="button"
                      className="textlink"
                      onClick={() => setEditing(entry)}
                      aria-label={`Change the duty of ${entry.label}`}
                    >
                      {entry.label}
                    </button>{" "}
                    <span className="soft">
                      {entry.duty.user ?? `group, ${plural(entry.people.length, "person", "people")}`}
                      {!entry.acting && " · not acting today"}
                    </span>
                    <div className="soft small">
                      {scopeInWords(entry.duty, acts, names)}
                      {entry.duty.from && ` · from ${entry.duty.from}`}
                      {entry.duty.until && ` · until ${entry.duty.until}`}
                      {entry.duty.reason && ` · ${entry.duty.reason}`}
                    </div>
                    {entry.unknown.length > 0 && <div className="careful small">names what is not here: {entry.unknown.join(", ")}</div>}
                    {entry.silent.length > 0 && (
                      <div className="careful small">says nothing of {entry.silent.join(", ")}: reaches none</div>
                    )}
                  </td>
                  {acts.map((act) => (
                    <td key={act.name} className="mark">
                      <Mark entry={entry} act={act.name} acts={acts} />
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      <WhoCan acts={acts} answer={duties.data} />
      {editing && <DutyForm entry={editing === "new" ? null : editing} answer={duties.data} holder={of} close={() => setEditing(null)} />}
    </>
  );
}

function Mark({ entry, act, acts }: { entry: Entry; act: Act; acts: Parameters<typeof everywhere>[2] }) {
  if (!entry.duty.acts.includes(act)) return <span className="visually-hidden">no</span>;
  const all = everywhere(entry.duty, act, acts);
  return <span className={all ? "held all" : "held part"}>{all ? "all" : "part"}</span>;
}
