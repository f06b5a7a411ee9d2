import { useQuery } from "@tanstack/react-query";
import { Button, DatePicker, Input, Select } from "antd";
import { useMemo, useState } from "react";
import { Link } from "react-router-dom";
import type { Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { useEdited } from "../../state/asking";
import { useRoles } from "../../state/directory";
import { useModel, useWorkbench } from "../../state/workbench";
import { AddMapping } from "../../ui/AddMapping";
import { savedAs } from "../../ui/csv";
import { count, plural } from "../../ui/figures";
import { KeepPromise } from "../../ui/KeepPromise";
import { Notice } from "../../ui/Notice";
import { promisedOnly } from "./promised";

type Person = Schemas["PersonWho"];
const STATES: Record<Person["state"], { sign: string; says: string }> = {
  clear: { sign: "visible", says: "in clear" },
  masked: { sign: "msk", says: "masked" },
  partly: { sign: "partly", says: "partly masked" },
  listed: { sign: "visible", says: "listed" },
  counted: { sign: "partly", says: "counts in totals" },
  opens: { sign: "visible", says: "opens it" },
};
const MOST = 300;

/** Everybody who reaches it, by which role and how it is held; against live or another day, who is new and who is gone. */
export function WhoTurn({ about, title }: { about: Schemas["WhoQuestion"]; title: string }) {
  const bench = useWorkbench();
  const edited = useEdited();
  const roles = useRoles();
  const model = useModel();
  const [against, setAgainst] = useState<"none" | "live" | "day">("none");
  const [day, setDay] = useState<string | null>(null);
  const [search, setSearch] = useState("");
  const [mapping, setMapping] = useState<string | null>(null);
  const found = useQuery(
    queries.who({
      about,
      edited,
      state: bench.state,
      as_of: bench.day,
      against_live: against === "live",
      against_day: against === "day" ? day : null,
    }),
  );
  const people = found.data?.answer.people ?? [];
  const told = useMemo(() => {
    const wanted = search.trim().toLowerCase();
    return wanted === ""
      ? people
      : people.filter((person) => `${person.name} ${person.login} ${by(person)}`.toLowerCase().includes(wanted));
  }, [people, search]);
  const fresh = new Set(found.data?.against?.new ?? []);
  const gone = found.data?.against?.gone ?? [];
  const mapped = roles.data?.roles.find((entry) => entry.role.name === mapping);
  const rows = found.data?.answer.rows ?? 0;
  if (found.isError) return <Notice kind="careful">{found.error.message}</Notice>;
  if (!found.data) return <p className="soft">Asking for everybody…</p>;
  const { enabled } = found.data.answer;
  const key = model.data?.document.tables?.find((table) => table.name === about.table)?.key ?? null;
  const only = promisedOnly(
    about,
    title,
    people.map((person) => person.login),
    key,
  );
  return (
    <div data-testid="who">
      <p className="ask-verdict">
        <b>
          {count(people.length)} of {plural(enabled, "person", "people")}
          {(found.data.answer.not_known ?? 0) > 0 && `; not known for ${found.data.answer.not_known}, whose source does not answer`}
        </b>{" "}
        {about.page ? "may open it" : rows > 1 ? `reach some of its ${count(rows)} rows` : "reach it"}
        {people.length === 0 ? ". No role opens it to anybody." : "."}
      </p>
      <div className="row wrap small">
        <span className="soft">compared with</span>
        <Select
          size="small"
          aria-label="Compared with"
          value={against}
          onChange={setAgainst}
          options={[
            { value: "none", label: "nothing" },
            { value: "live", label: "the live release", disabled: bench.live === null || bench.state === "live" },
            { value: "day", label: "another day" },
          ]}
        />
        {against === "day" && (
          <DatePicker size="small" aria-label="Another day" onChange={(picked) => setDay(picked ? picked.format("YYYY-MM-DD") : null)} />
        )}
      </div>
      {found.data.against && (
        <p className="small above-6">
          {fresh.size === 0 && gone.length === 0 ? "The same people." : `${count(fresh.size)} new, ${count(gone.length)} no longer.`}
          {gone.length > 0 && ` No longer: ${gone.slice(0, 12).join(", ")}${gone.length > 12 ? "…" : ""}.`}
        </p>
      )}
      <div className="row small above-6">
        <Input
          size="small"
          allowClear
          aria-label="Search these people"
          placeholder="name, login or role"
          value={search}
          onChange={(event) => setSearch(event.target.value)}
        />
        <Button size="small" disabled={people.length === 0} onClick={() => savedAs(`who ${title}`, HEAD, people.map(line))}>
          CSV
        </Button>
      </div>
      <table className="data above-6">
        <thead>
          <tr>
            <th>Person</th>
            <th>sees it</th>
            <th>by</th>
          </tr>
        </thead>
        <tbody>
          {told.slice(0, MOST).map((person) => (
            <tr key={person.login} className={fresh.has(person.login) ? "gained" : ""}>
              <td>
                <Link to={`/people/${encodeURIComponent(person.login)}`}>{person.name}</Link>
                <div className="soft small">
                  {person.login}
                  {fresh.has(person.login) && " · new"}
                </div>
              </td>
              <td>
                <span className={`sees ${STATES[person.state].sign}`} /> <span className="small">{STATES[person.state].says}</span>
                {rows > 1 && (
                  <div className="soft small">
                    {count(person.rows)} of {count(person.of ?? rows)}
                  </div>
                )}
              </td>
              <td className="told small">
                {person.through.map((part) => (
                  <div key={part.role}>
                    <Link to={`/roles/${encodeURIComponent(part.role)}`}>{part.label}</Link>
                    <span className="soft">{part.held_by.length > 0 && ` ${part.held_by.join("; ")}`}</span>
                  </div>
                ))}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {told.length > MOST && (
        <p className="soft small">
          The first {MOST} of {count(told.length)}; search, or save all as CSV.
        </p>
      )}
      {people.length > 0 && told.length === 0 && <p className="soft small">Nobody of that name among them.</p>}
      {statementOf(about) && (
        <p className="small above-12">
          <Link to={statementOf(about) ?? ""}>Access statement</Link>{" "}
          <span className="soft">to print or save: who, by which sentence, since when</span>
        </p>
      )}
      {only && edited.length === 0 && <KeepPromise promise={only}>May only be seen by these</KeepPromise>}
      {!about.page && (
        <div className="row small above-6">
          <span className="soft">Open it to others by a role:</span>
          <Select
            size="small"
            showSearch
            aria-label="Role to map"
            placeholder="role"
            className="least-180"
            value={null}
            optionFilterProp="label"
            onChange={(name: string) => setMapping(name)}
            options={(roles.data?.roles ?? [])
              .filter((entry) => entry.role.kind === "grant")
              .map((entry) => ({ value: entry.role.name, label: entry.role.label ?? entry.role.name }))}
          />
        </div>
      )}
      {mapped && <AddMapping entry={mapped} close={() => setMapping(null)} />}
    </div>
  );
}

const HEAD = ["login", "name", "sees it", "rows", "by"];

function by(person: Person): string {
  return person.through.map((part) => `${part.label}${part.held_by.length > 0 ? ` (${part.held_by.join("; ")})` : ""}`).join("; ");
}

function line(person: Person): (string | number)[] {
  return [person.login, person.name, STATES[person.state].says, person.rows, by(person)];
}

/** Where the statement of a whole table or page is; of parts of them there is none. */
function statementOf(about: Schemas["WhoQuestion"]): string | null {
  if (about.page) return `/statement/page/${encodeURIComponent(about.page)}`;
  if (about.table && about.model) return `/statement/table/${encodeURIComponent(about.model)}/${encodeURIComponent(about.table)}`;
  return null;
}
