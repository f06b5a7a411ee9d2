import { Input, Select } from "antd";
import { useMemo, useRef, useState } from "react";
import { NavLink, useParams } from "react-router-dom";
import type { Schemas } from "../../api/client";
import { usePeople, useRoles } from "../../app/Tray";
import { plural } from "../../ui/figures";
import { Empty, Notice } from "../../ui/Notice";
import { PersonCard } from "./PersonCard";
import "./people.css";

type People = Schemas["PeopleAnswer"];
type Chosen = { kind: "all" } | { kind: "organization" | "group"; name: string };

const LINE = 30;

/** Organizations and groups, the people in them, and what reaches one of them. */
export default function PeopleScreen() {
  const { login } = useParams();
  const people = usePeople();
  const roles = useRoles();
  const [chosen, setChosen] = useState<Chosen>({ kind: "all" });
  const [search, setSearch] = useState("");
  const [only, setOnly] = useState<"all" | "enabled" | "disabled" | "no-role" | "services">("all");
  const labels = useMemo(
    () => new Map(roles.data?.roles.map((entry) => [entry.role.name, entry.role.label ?? entry.role.name])),
    [roles.data],
  );
  const shown = useMemo(() => (people.data ? chosenPeople(people.data, chosen, search, only) : []), [people.data, chosen, search, only]);
  if (people.isError) return <Notice kind="bad">{people.error.message}</Notice>;
  if (!people.data) return <div className="pad soft">Opening…</div>;
  return (
    <div className="people">
      <nav className="tree" aria-label="Organizations and groups">
        <h3>Organizations</h3>
        <TreeLine
          label="Everybody"
          count={people.data.people.length}
          on={chosen.kind === "all"}
          depth={0}
          choose={() => setChosen({ kind: "all" })}
        />
        <Organizations people={people.data} parent={null} depth={0} chosen={chosen} choose={setChosen} />
        <h3>Groups</h3>
        <Groups people={people.data} chosen={chosen} choose={setChosen} />
      </nav>
      <section className="people-list" aria-label="People">
        <div className="row" style={{ marginBottom: 8 }}>
          <Input
            allowClear
            aria-label="Search people"
            placeholder="Search name, login, e-mail"
            value={search}
            onChange={(event) => setSearch(event.target.value)}
          />
          <Select
            aria-label="Which people"
            value={only}
            onChange={setOnly}
            style={{ minWidth: 120 }}
            options={[
              { value: "all", label: "all" },
              { value: "enabled", label: "enabled" },
              { value: "disabled", label: "disabled" },
              { value: "no-role", label: "no role" },
              { value: "services", label: "services" },
            ]}
          />
        </div>
        <List people={shown} labels={labels} />
        <p className="soft small" style={{ marginTop: 6 }}>
          {plural(shown.length, "person", "people")}
        </p>
      </section>
      <section aria-label="Person">
        {login ? (
          <PersonCard key={login} login={login} people={people.data} />
        ) : (
          <Empty title="Choose somebody">Their groups, attributes, roles and what they see appear here.</Empty>
        )}
      </section>
    </div>
  );
}

/** Everybody below an organization, or in a group and the groups inside it. */
function chosenPeople(data: People, chosen: Chosen, search: string, only: string) {
  const within = new Set<string>();
  if (chosen.kind !== "all") {
    within.add(chosen.name);
    for (const name of within) {
      if (chosen.kind === "organization") for (const item of data.organizations) if (item.parent === name) within.add(item.name);
      if (chosen.kind === "group") for (const inner of data.groups.find((item) => item.name === name)?.groups ?? []) within.add(inner);
    }
  }
  const members =
    chosen.kind === "group" ? new Set(data.groups.filter((group) => within.has(group.name)).flatMap((group) => group.users)) : null;
  const wanted = search.trim().toLowerCase();
  return data.people.filter((person) => {
    if (chosen.kind === "organization" && !within.has(person.organization ?? "")) return false;
    if (members && !members.has(person.login)) return false;
    if (only === "enabled" && !person.enabled) return false;
    if (only === "disabled" && person.enabled) return false;
    if (only === "no-role" && person.roles.length > 0) return false;
    if (only === "services" && person.kind !== "service") return false;
    return wanted === "" || `${person.name} ${person.login} ${person.email ?? ""}`.toLowerCase().includes(wanted);
  });
}

/** Draws only the lines in view, so that ten thousand people scroll as smoothly as ten. */
function List({ people, labels }: { people: People["people"]; labels: Map<string, string> }) {
  const host = useRef<HTMLDivElement>(null);
  const [top, setTop] = useState(0);
  const from = Math.max(0, Math.floor(top / LINE) - 10);
  const to = Math.min(people.length, from + 60);
  return (
    <div className="body" ref={host} onScroll={(event) => setTop(event.currentTarget.scrollTop)}>
      <div style={{ height: people.length * LINE }}>
        {people.slice(from, to).map((person, index) => (
          <NavLink
            key={person.login}
            to={`/people/${encodeURIComponent(person.login)}`}
            className={({ isActive }) => `person-line ${isActive ? "on" : ""}`}
            style={{ top: (from + index) * LINE }}
          >
            <span className="cut" title={person.name}>
              {person.name}
            </span>
            <code className="cut">{person.login}</code>
            <span className="soft small cut">
              {!person.enabled && <span className="warn">disabled · </span>}
              {person.kind === "service" && "service · "}
              {person.roles.map((role) => labels.get(role) ?? role).join(", ") || "no role"}
            </span>
          </NavLink>
        ))}
      </div>
      {people.length === 0 && <p className="pad soft">Nobody matches.</p>}
    </div>
  );
}

function TreeLine({ label, count, on, depth, choose }: { label: string; count: number; on: boolean; depth: number; choose: () => void }) {
  return (
    <button
      type="button"
      className={`tree-line ${on ? "on" : ""}`}
      aria-pressed={on}
      style={{ paddingLeft: 6 + depth * 12 }}
      onClick={choose}
    >
      <span className="cut" title={label}>
        {label}
      </span>
      <span className="n">{count}</span>
    </button>
  );
}

type BranchProps = { people: People; chosen: Chosen; choose: (chosen: Chosen) => void };

function Organizations({ people, parent, depth, chosen, choose }: BranchProps & { parent: string | null; depth: number }) {
  return people.organizations
    .filter((item) => (item.parent ?? null) === parent)
    .map((item) => (
      <div key={item.name}>
        <TreeLine
          label={item.label}
          count={people.people.filter((person) => person.organization === item.name).length}
          on={chosen.kind === "organization" && chosen.name === item.name}
          depth={depth}
          choose={() => choose({ kind: "organization", name: item.name })}
        />
        <Organizations people={people} parent={item.name} depth={depth + 1} chosen={chosen} choose={choose} />
      </div>
    ));
}

/** Groups under the groups that hold them; one in two groups stands under both. */
function Groups({ people, chosen, choose }: BranchProps) {
  const inside = new Set(people.groups.flatMap((group) => group.groups));
  const branch = (name: string, depth: number): React.ReactNode => {
    const group = people.groups.find((item) => item.name === name);
    if (!group) return null;
    return (
      <div key={`${depth}.${name}`}>
        <TreeLine
          label={group.label}
          count={group.users.length}
          on={chosen.kind === "group" && chosen.name === name}
          depth={depth}
          choose={() => choose({ kind: "group", name })}
        />
        {group.groups.map((inner) => branch(inner, depth + 1))}
      </div>
    );
  };
  return people.groups.filter((group) => !inside.has(group.name)).map((group) => branch(group.name, 0));
}
