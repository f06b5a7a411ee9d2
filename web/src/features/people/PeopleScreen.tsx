import { useQuery } from "@tanstack/react-query";
import { Button, Checkbox, Dropdown, Input, Modal, Select } from "antd";
import { lazy, Suspense, useMemo, useRef, useState } from "react";
import { NavLink, useNavigate, useParams } from "react-router-dom";
import { api, data } from "../../api/client";
import { queries } from "../../api/queries";
import { type PeopleData, usePeople } from "../../state/directory";
import { useRights } from "../../state/rights";
import { ConfirmImpact } from "../../ui/ConfirmImpact";
import { plural } from "../../ui/figures";
import { Empty, Notice } from "../../ui/Notice";
import { Tick } from "../../ui/Tick";
import { type Asked, sendAct } from "./acts";
import { BulkBar } from "./BulkBar";
import { chosenPeople } from "./chosenPeople";
import { DeletePeople } from "./DeletePeople";
import { NewPerson } from "./NewPerson";
import { PersonCard } from "./PersonCard";
import { PlaceCard } from "./PlaceCard";
import { PlaceEditor } from "./PlaceEditor";
import { type Chosen, Tree, type TreeAct } from "./Tree";
import "./people.css";

const Attributes = lazy(() => import("./Attributes"));
const ImportPeople = lazy(() => import("./ImportPeople"));

type Only = "all" | "enabled" | "disabled" | "no-role" | "services";
type Doing = "person" | "import" | "attributes" | "delete" | null;

const LINE = 30;

/** Organizations and groups, the people in them, and what reaches one of them. */
export default function PeopleScreen() {
  const { login } = useParams();
  const navigate = useNavigate();
  const people = usePeople();
  const { may, everywhere } = useRights();
  const [chosen, setChosen] = useState<Chosen>({ kind: "all" });
  const [search, setSearch] = useState("");
  const [only, setOnly] = useState<Only>("all");
  const [selected, setSelected] = useState<Set<string>>(new Set());
  const [asked, setAsked] = useState<Asked | null>(null);
  const [doing, setDoing] = useState<Doing>(null);
  const [tree, setTree] = useState<TreeAct | null>(null);
  const shown = useMemo(() => (people.data ? chosenPeople(people.data, chosen, search, only) : []), [people.data, chosen, search, only]);
  const versions = useQuery({ ...queries.attributeVersions(), enabled: doing === "attributes" });
  if (people.isError) return <Notice kind="bad">{people.error?.message}</Notice>;
  if (!people.data) return <div className="pad soft">Opening…</div>;
  const all = people.data;
  const labelOf = (kind: "organization" | "group", name: string) =>
    (kind === "group" ? all.groups : all.organizations).find((item) => item.name === name)?.label ?? name;
  const moved = (kind: "organization" | "group", name: string, from: string | null, into: string | null) => {
    const title =
      into === null
        ? `Take ${labelOf(kind, name)} out of ${labelOf(kind, from ?? "")}?`
        : `Move ${labelOf(kind, name)} into ${labelOf(kind, into)}?`;
    if (kind === "group") setAsked({ title, act: { move_group: { name, out_of: from, into } } });
    else if (into !== null)
      void data(api.GET("/api/organizations/{name}", { params: { path: { name } } })).then((place) =>
        setAsked({ title, act: { save_organization: { name, version: place.version, parent: into } } }),
      );
  };
  const treeAct = (what: TreeAct) => {
    if (what.what !== "delete") return setTree(what);
    const name = what.name ?? "";
    setAsked({
      title: `Delete the ${what.kind} ${labelOf(what.kind, name)}? ${what.kind === "group" ? "Its members stay; what it gives is lost." : ""}`,
      act: what.kind === "group" ? { delete_group: { name } } : { delete_organization: { name } },
      danger: true,
      done: () => setChosen({ kind: "all" }),
    });
  };
  const logins = [...selected].filter((item) => all.people.some((person) => person.login === item));
  return (
    <div className="people">
      <nav className="tree" aria-label="Organizations and groups">
        <Tree
          people={all}
          chosen={chosen}
          choose={(next) => {
            setChosen(next);
            navigate("/people");
          }}
          act={treeAct}
          moved={moved}
        />
      </nav>
      <section className="people-list" aria-label="People">
        <div className="row below-8">
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
            className="least-96"
            options={[
              { value: "all", label: "all" },
              { value: "enabled", label: "enabled" },
              { value: "disabled", label: "disabled" },
              { value: "no-role", label: "no role" },
              { value: "services", label: "services" },
            ]}
          />
          {may("people") && (
            <Button type={all.people.length < 2 ? "primary" : "default"} onClick={() => setDoing("person")}>
              + person
            </Button>
          )}
          <Dropdown
            trigger={["click"]}
            menu={{
              items: [
                { key: "import", label: "Bring in from a file…", disabled: !may("people") },
                ...(everywhere("people")
                  ? [
                      { key: "attributes", label: "Attributes…" },
                      { key: "people", label: "Export people as CSV" },
                      { key: "groups", label: "Export groups as CSV" },
                    ]
                  : []),
              ],
              onClick: ({ key }) =>
                key === "people" || key === "groups" ? window.location.assign(`/api/directory/export?kind=${key}`) : setDoing(key as Doing),
            }}
          >
            <Button aria-label="More with people">⋯</Button>
          </Dropdown>
        </div>
        {logins.length > 0 && may("people", "map") && (
          <BulkBar logins={logins} people={all} ask={setAsked} remove={() => setDoing("delete")} clear={() => setSelected(new Set())} />
        )}
        <List people={shown} data={all} selected={selected} select={setSelected} />
        <p className="soft small row above-6">
          <Checkbox
            aria-label="Choose all shown"
            checked={shown.length > 0 && shown.every((person) => selected.has(person.login))}
            indeterminate={logins.length > 0 && !shown.every((person) => selected.has(person.login))}
            onChange={(event) => setSelected(event.target.checked ? new Set(shown.map((person) => person.login)) : new Set())}
          />
          {plural(shown.length, "person", "people")}
        </p>
      </section>
      <section aria-label="Person">
        {login ? (
          <PersonCard key={login} login={login} people={all} ask={setAsked} left={() => navigate("/people")} />
        ) : chosen.kind !== "all" ? (
          <PlaceCard
            key={`${chosen.kind}.${chosen.name}`}
            kind={chosen.kind}
            name={chosen.name}
            people={all}
            edit={() => setTree({ kind: chosen.kind, what: "edit", name: chosen.name })}
          />
        ) : all.people.length < 2 && everywhere("people") ? (
          <Empty title="Bring your people in">
            <p>From a CSV or XLSX list, with their groups and attributes; or one by one.</p>
            <p className="row above-10">
              <Button type="primary" onClick={() => setDoing("import")}>
                Bring in from a file
              </Button>
              <Button onClick={() => setDoing("attributes")}>Define attributes first</Button>
            </p>
          </Empty>
        ) : (
          <Empty title="Choose somebody">
            Their groups, attributes, roles and what they see appear here. Choose a group or organization to see what it gives.
          </Empty>
        )}
      </section>
      {asked && (
        <ConfirmImpact
          key={asked.title}
          title={asked.title}
          send={asked.act ? sendAct(asked.act) : asked.send}
          danger={asked.danger}
          close={() => setAsked((now) => (now === asked ? null : now))}
          done={asked.done}
        />
      )}
      {doing === "person" && (
        <NewPerson
          people={all}
          organization={chosen.kind === "organization" ? chosen.name : (all.organizations[0]?.name ?? null)}
          group={chosen.kind === "group" ? chosen.name : null}
          ask={setAsked}
          close={() => setDoing(null)}
          added={(made) => navigate(`/people/${encodeURIComponent(made)}`)}
        />
      )}
      <Suspense>
        {doing === "import" && <ImportPeople people={all} close={() => setDoing(null)} />}
        {doing === "attributes" && (
          <Attributes people={all} versions={versions.data?.versions ?? {}} ask={setAsked} close={() => setDoing(null)} />
        )}
      </Suspense>
      {doing === "delete" && (
        <DeletePeople
          logins={logins}
          people={all}
          ask={setAsked}
          close={() => setDoing(null)}
          deleted={() => {
            setSelected(new Set());
            navigate("/people");
          }}
        />
      )}
      {tree && tree.what !== "move" && (
        <PlaceEditor
          key={`${tree.kind}.${tree.name}`}
          kind={tree.kind}
          name={tree.name}
          under={tree.what === "new" ? (tree.under ?? null) : null}
          people={all}
          ask={setAsked}
          close={() => setTree(null)}
        />
      )}
      {tree?.what === "move" && <Move act={tree} people={all} moved={moved} close={() => setTree(null)} />}
    </div>
  );
}

/** Where a group or organization goes; the same as dragging it. */
function Move({
  act,
  people,
  moved,
  close,
}: {
  act: TreeAct;
  people: PeopleData;
  moved: (kind: "organization" | "group", name: string, from: string | null, into: string | null) => void;
  close: () => void;
}) {
  const [into, setInto] = useState<string>("");
  const items = act.kind === "group" ? people.groups : people.organizations;
  const name = act.name ?? "";
  const top = act.kind === "group" ? [{ value: "", label: "the top: in no group" }] : [];
  return (
    <Modal
      open
      title={`Move ${items.find((item) => item.name === name)?.label ?? name}`}
      onCancel={close}
      okText="See what changes"
      okButtonProps={{ disabled: act.kind === "organization" && into === "" }}
      onOk={() => {
        moved(act.kind, name, act.under ?? null, into || null);
        close();
      }}
    >
      <Select
        showSearch
        aria-label="Into"
        optionFilterProp="label"
        className="full"
        value={into}
        onChange={setInto}
        options={[...top, ...items.filter((item) => item.name !== name).map((item) => ({ value: item.name, label: item.label }))]}
      />
    </Modal>
  );
}

/** Draws only the lines in view, so that ten thousand people scroll as smoothly as ten. */
function List({
  people,
  data,
  selected,
  select,
}: {
  people: PeopleData["people"];
  data: PeopleData;
  selected: Set<string>;
  select: (next: Set<string>) => void;
}) {
  const host = useRef<HTMLDivElement>(null);
  const last = useRef<number | null>(null);
  const [top, setTop] = useState(0);
  const from = Math.max(0, Math.floor(top / LINE) - 10);
  const to = Math.min(people.length, from + Math.ceil(window.innerHeight / LINE) + 16);
  const tick = (place: number, on: boolean, range: boolean) => {
    const next = new Set(selected);
    const [low, high] = range && last.current !== null ? [Math.min(last.current, place), Math.max(last.current, place)] : [place, place];
    for (const person of people.slice(low, high + 1)) {
      if (on) next.add(person.login);
      else next.delete(person.login);
    }
    last.current = place;
    select(next);
  };
  return (
    <div className="body" ref={host} onScroll={(event) => setTop(event.currentTarget.scrollTop)}>
      <div style={{ height: people.length * LINE }}>
        {people.slice(from, to).map((person, index) => (
          <div key={person.login} className="person-row" style={{ top: (from + index) * LINE }}>
            <Tick
              label={`Choose ${person.login}`}
              checked={selected.has(person.login)}
              change={(on, range) => tick(from + index, on, range)}
            />
            <NavLink to={`/people/${encodeURIComponent(person.login)}`} className={({ isActive }) => `person-line ${isActive ? "on" : ""}`}>
              <span className="cut" title={person.name}>
                {person.name}
              </span>
              <code className="cut">{person.login}</code>
              <span className="soft small cut">
                {!person.enabled && <span className="warn">disabled · </span>}
                {person.kind === "service" && "service · "}
                {data.held ? person.roles.map((role) => data.labels[role] ?? role).join(", ") || "no role" : "…"}
              </span>
            </NavLink>
          </div>
        ))}
      </div>
      {people.length === 0 && <p className="pad soft">Nobody matches.</p>}
    </div>
  );
}
