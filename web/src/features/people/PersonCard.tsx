import { useQuery } from "@tanstack/react-query";
import { App, Button, Dropdown, Modal, Select, Switch } from "antd";
import { useState } from "react";
import { NavLink, useNavigate } from "react-router-dom";
import { ApiError, api, data, type Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { marked, objectSubject, pageSubject, type Subject, tableSubject, useAsking } from "../../state/asking";
import type { PeopleData } from "../../state/directory";
import { actLabel, useRights } from "../../state/rights";
import { MOST_PINS, useModel, useWorkbench } from "../../state/workbench";
import { Notice } from "../../ui/Notice";
import { Share } from "../../ui/Share";
import type { Asked, Value } from "./acts";
import { BulkForm as RoleForm } from "./BulkBar";
import { CopyAccess } from "./CopyAccess";
import { DeletePeople } from "./DeletePeople";
import { DuplicatePerson } from "./DuplicatePerson";
import { LeavePerson } from "./LeavePerson";
import { PersonEditor } from "./PersonEditor";
import { PersonHistory } from "./PersonHistory";
import { ValueField } from "./ValueField";

type Card = Schemas["PersonCard"];
type Change = { title: string; body: Omit<Schemas["PeopleChange"], "logins"> };
type Attribute = Card["attributes"][number];

/** What reaches a person: groups by path, attributes with where they come from, roles by path, pages, shares. */
export function PersonCard({
  login,
  people,
  ask,
  left,
}: {
  login: string;
  people: PeopleData;
  ask: (asked: Asked) => void;
  left: () => void;
}) {
  const navigate = useNavigate();
  const bench = useWorkbench();
  const model = useModel();
  const { message } = App.useApp();
  const [doing, setDoing] = useState<"edit" | "leave" | "twin" | "copy" | "delete" | "role" | null>(null);
  const { may } = useRights();
  const [link, setLink] = useState<Schemas["InvitationAnswer"] | null>(null);
  const card = useQuery(queries.person(login, bench.state));
  const pages = useQuery({ ...queries.pages(bench.state), enabled: may("pages", "roles", "map", "look-shapes") });
  const labels = new Map(
    (pages.data?.shelves ?? []).flatMap((shelf) => shelf.pages).map(({ page }) => [page.name, page.label ?? page.name]),
  );
  if (card.isError) {
    return (
      <Notice kind="bad">
        {card.error instanceof ApiError && card.error.status === 404 ? `There is nobody with the login ${login}.` : card.error.message}
      </Notice>
    );
  }
  if (!card.data) return <p className="soft">Opening…</p>;
  const person = card.data;
  const setChange = (change: Change) =>
    ask({ title: change.title, act: { change_people: { logins: [login], versions: { [login]: person.version }, ...change.body } } });
  const invite = async () => {
    try {
      setLink(await data(api.POST("/api/people/{login}/invitation", { params: { path: { login } } })));
    } catch (error) {
      message.error((error as Error).message);
    }
  };
  const takeAway = (role: Card["roles"][number], key: number) =>
    ask({
      title: `Take ${role.label} away from ${person.name}?`,
      send: (onlyTry) =>
        data(api.DELETE("/api/roles/{name}/assignments/{key}", { params: { path: { name: role.name, key }, query: { try: onlyTry } } })),
    });
  const organization = people.organizations.find((item) => item.name === person.organization)?.label ?? person.organization;
  const share = bench.model ? person.shares[bench.model] : undefined;
  return (
    <div data-testid="person-card">
      <div className="row">
        <h2 className="cut">{person.name}</h2>
        <code>{person.login}</code>
        <span className="grow" />
        {may("look-shapes") && (
          <Button
            size="small"
            onClick={() =>
              bench.pin({
                key: `user:${login}`,
                title: person.name,
                detail: `${login} · ${person.roles.map((role) => role.label).join(", ") || "no role"}`,
                viewer: login,
              })
            }
          >
            Pin
          </Button>
        )}
        <Dropdown
          trigger={["click"]}
          menu={{
            items: [
              ...(may("people")
                ? [
                    { key: "edit", label: "Edit…" },
                    { key: "copy", label: "Copy access from somebody…" },
                    { key: "twin", label: "Duplicate…" },
                  ]
                : []),
              ...(may("map") ? [{ key: "role", label: "Give a role…" }] : []),
              ...(may("look-shapes") ? [{ key: "statement", label: "Access statement" }] : []),
              {
                key: "link",
                label: person.can_sign_in ? "Link for a new password" : "Link for the first sign-in",
                disabled: !may("links") || person.kind !== "person" || !person.enabled,
              },
              ...(may("settings") ? [{ key: "duties", label: "Duties…" }] : []),
              ...(may("people") ? [{ key: "leave", label: "Leaves…" }] : []),
              ...(may("people") ? [{ key: "delete", label: "Delete…", danger: true }] : []),
            ],
            onClick: ({ key }) => {
              if (key === "link") void invite();
              else if (key === "duties") navigate(`/settings/duties?of=${encodeURIComponent(login)}`);
              else if (key === "statement") navigate(`/statement/person/${encodeURIComponent(login)}`);
              else setDoing(key as "edit");
            },
          }}
        >
          <Button size="small" aria-label="What to do with this person">
            ⋯
          </Button>
        </Dropdown>
        <Switch
          checked={person.enabled}
          checkedChildren="enabled"
          unCheckedChildren="disabled"
          aria-label="Enabled"
          disabled={!may("people")}
          onChange={(enabled) => setChange({ title: `${enabled ? "Enable" : "Disable"} ${person.name}?`, body: { enabled } })}
        />
      </div>
      <p className="soft">
        {organization ?? "no organization"} {person.email && `· ${person.email}`} {person.kind === "service" && "· service account"}{" "}
        {person.acts.length > 0 && `· has duties: ${person.acts.map(actLabel).join(", ")}`}
      </p>
      {person.about && <p>{person.about}</p>}
      {person.comes_from && (
        <p className="soft small" data-testid="comes-from">
          comes from {person.comes_from}: {person.said.map((field) => field.replace("attribute:", "")).join(", ")} are changed there
        </p>
      )}
      {person.keeper && <p className="soft small">kept by {person.keeper}</p>}
      {link && (
        <Notice kind="careful">
          <b>Shown this one time.</b> Send this link to {person.name}; it works once, until{" "}
          {new Date(link.expires_at).toLocaleString("en-GB")}.
          <br />
          <code data-testid="link" className="breaks-anywhere">
            {window.location.origin}
            {link.path}
          </code>{" "}
          <button
            type="button"
            className="textlink"
            onClick={() => void navigator.clipboard.writeText(window.location.origin + link.path).then(() => message.success("Copied."))}
          >
            copy
          </button>
        </Notice>
      )}
      {person.nothing && <Notice kind="careful">{person.nothing}</Notice>}

      <h3>Attributes</h3>
      {person.attributes.map((attribute) => (
        <AttributeLine key={attribute.definition.name} attribute={attribute} person={person} change={setChange} />
      ))}

      <h3>Groups</h3>
      {person.groups.map((group) => (
        <div key={group.name} className="row small">
          <span>
            {group.path.map((name) => people.groups.find((item) => item.name === name)?.label ?? name).join(" › ")}
            {!group.direct && <span className="soft"> (through the first)</span>}
          </span>
          <span className="grow" />
          {group.direct && (
            <button
              type="button"
              className="textlink"
              onClick={() => setChange({ title: `Take ${person.name} out of ${group.label}?`, body: { leave: [group.name] } })}
            >
              take out
            </button>
          )}
        </div>
      ))}
      {person.groups.length === 0 && <p className="soft small">In no group.</p>}
      <Select
        size="small"
        showSearch
        aria-label="Add to a group"
        placeholder="+ add to a group"
        className="wide-220 above-4"
        value={null}
        optionFilterProp="label"
        options={people.groups
          .filter((group) => !person.groups.some((item) => item.direct && item.name === group.name))
          .map((group) => ({ value: group.name, label: `${group.label} · ${group.name}` }))}
        onChange={(name: string) =>
          setChange({
            title: `Add ${person.name} to ${people.groups.find((group) => group.name === name)?.label ?? name}?`,
            body: { join: [name] },
          })
        }
      />

      <h3>Roles held</h3>
      {person.roles.map((role) => (
        <div key={role.name} className="small">
          <NavLink to={`/roles/${encodeURIComponent(role.name)}`}>{role.label}</NavLink> <span className="soft">{role.kind} · by </span>
          {role.paths
            .map((path) =>
              path.groups.length > 0
                ? path.groups.map((name) => person.groups.find((group) => group.name === name)?.label ?? name).join(" › ")
                : path.assignment?.user
                  ? "the person"
                  : path.assignment?.everyone
                    ? "everybody"
                    : (path.assignment?.when ?? ""),
            )
            .join("; ")}
          {role.paths.map((path, place) => (
            <span key={JSON.stringify(path)} className="soft">
              {path.assignment?.from && ` from ${path.assignment.from}`}
              {path.assignment?.until && ` until ${path.assignment.until}`}
              {role.keys[place] !== null && role.keys[place] !== undefined && (
                <button type="button" className="textlink after-6" onClick={() => takeAway(role, role.keys[place] as number)}>
                  take away
                </button>
              )}
            </span>
          ))}
          {role.last_used && <span className="soft"> · last used {role.last_used}</span>}
        </div>
      ))}
      {person.roles.length === 0 && <p className="soft small">No role.</p>}

      {share && !share.refused && (
        <>
          <h3>Sees of {model.data?.document.label ?? bench.model}</h3>
          <div className="reaches">
            {share.tables.map((table) => (
              <ShareLine key={table.table} table={table} />
            ))}
          </div>
        </>
      )}
      <PersonHistory key={login} login={login} />
      <h3>Pages</h3>
      <p className="small">
        {person.pages.length === 0 ? (
          <span className="soft">None.</span>
        ) : (
          person.pages.map((page) => (
            <NavLink
              key={page}
              to={`/pages/${encodeURIComponent(page)}`}
              className="before-10"
              {...marked(pageSubject(page, labels.get(page) ?? page))}
            >
              {labels.get(page) ?? page}
            </NavLink>
          ))
        )}
      </p>
      {may("look-shapes") && <WhatWouldGive person={person} />}
      {doing === "edit" && <PersonEditor person={person} people={people} ask={ask} close={() => setDoing(null)} />}
      {doing === "twin" && (
        <DuplicatePerson
          person={person}
          ask={ask}
          close={() => setDoing(null)}
          added={(made) => navigate(`/people/${encodeURIComponent(made)}`)}
        />
      )}
      {doing === "leave" && <LeavePerson login={login} name={person.name} people={people} ask={ask} close={() => setDoing(null)} />}
      {doing === "copy" && <CopyAccess to={person} people={people} ask={ask} close={() => setDoing(null)} />}
      {doing === "role" && <RoleForm what="role" logins={[login]} people={people} ask={ask} close={() => setDoing(null)} />}
      {doing === "delete" && <DeletePeople logins={[login]} people={people} ask={ask} close={() => setDoing(null)} deleted={left} />}
    </div>
  );
}

/** Asks what would have to change for somebody to reach a page, a table or a measure. */
function WhatWouldGive({ person }: { person: Card }) {
  const bench = useWorkbench();
  const asking = useAsking();
  const model = useModel();
  const pages = useQuery(queries.pages("draft"));
  const { message } = App.useApp();
  const document = model.data?.document;
  const subjects = new Map<string, Subject>([
    ...(pages.data?.shelves ?? [])
      .flatMap((shelf) => shelf.pages)
      .filter(({ page }) => !person.pages.includes(page.name))
      .map(({ page }) => [`the page ${page.label ?? page.name}`, pageSubject(page.name, page.label ?? page.name)] as const),
    ...(document?.tables ?? []).map(
      (table) => [`the table ${table.label ?? table.name}`, tableSubject(document?.name ?? "", table.name)] as const,
    ),
    ...(document?.measures ?? []).map(
      (item) =>
        [
          `the measure ${item.label ?? item.name}`,
          objectSubject(document?.name ?? "", "measure", item.name, item.label ?? item.name),
        ] as const,
    ),
  ]);
  return (
    <>
      <h3>What would give {person.name}…</h3>
      <Select
        showSearch
        aria-label="What would give"
        placeholder="a page, a table or a measure"
        className="full"
        value={null}
        options={[...subjects.keys()].map((name) => ({ value: name, label: name }))}
        onChange={(name: string) => {
          const subject = subjects.get(name);
          const key = `user:${person.login}`;
          if (!subject) return;
          if (bench.pins.length >= MOST_PINS && !bench.pins.some((pin) => pin.key === key)) {
            message.info("Four are pinned already. Take one out of the row above, then ask.");
            return;
          }
          bench.pin({ key, title: person.name, detail: person.login, viewer: person.login });
          asking.ask(subject, "why");
        }}
      />
    </>
  );
}

function ShareLine({ table }: { table: Schemas["TableShare"] }) {
  return (
    <>
      <span className="cut">{table.table}</span>
      <Share
        visible={table.visible}
        rows={table.rows}
        width={60}
        note={table.absent_columns.length ? `${table.absent_columns.length} col. absent` : undefined}
      />
    </>
  );
}

const PLACES: Record<string, string> = {
  locked: "locked on",
  own: "set on the person",
  group: "group",
  organization: "organization",
  default: "default",
};

function AttributeLine({ attribute, person, change }: { attribute: Attribute; person: Card; change: (change: Change) => void }) {
  const [open, setOpen] = useState(false);
  const [editing, setEditing] = useState(false);
  const { definition } = attribute;
  const value = attribute.conflict ? (
    <span className="warn">in conflict, counts as not set</span>
  ) : attribute.values ? (
    <b>{attribute.values.map(String).join(", ")}</b>
  ) : (
    <span className="soft">not set</span>
  );
  return (
    <div className="attribute">
      <div className="row">
        <button type="button" className="plain" aria-expanded={open} onClick={() => setOpen(!open)} title="Where the value comes from">
          {open ? "▾" : "▸"} {definition.label ?? definition.name}
        </button>
        <span className="grow cut">{value}</span>
        {definition.editable_by === "person" && <span className="warn small">self-editable</span>}
        <button type="button" className="textlink small" onClick={() => setEditing(true)}>
          edit
        </button>
      </div>
      {open && (
        <div className="ladder">
          {attribute.ladder.map((rung) => (
            <LadderRung key={`${rung.kind}.${rung.name}`} rung={rung} />
          ))}
          {attribute.ladder.length === 0 && (
            <>
              <span className="dot" />
              <span className="soft">Set nowhere: not on the person, a group or an organization, and there is no default.</span>
            </>
          )}
        </div>
      )}
      {editing && (
        <EditValue
          attribute={attribute}
          close={() => setEditing(false)}
          done={(next) => {
            setEditing(false);
            change({
              title: `${next === null ? "Clear" : "Set"} ${definition.label ?? definition.name} of ${person.name}?`,
              body: { attributes: { [definition.name]: next } },
            });
          }}
        />
      )}
    </div>
  );
}

function LadderRung({ rung }: { rung: Attribute["ladder"][number] }) {
  return (
    <>
      <span className={`dot ${rung.decides ? "on" : ""}`} />
      <span className={rung.decides ? "" : "soft"}>
        {`${PLACES[rung.kind]} ${rung.name}`.trim()}: {rung.values.map(String).join(", ") || "empty"}
        {!rung.decides && " (not used)"}
      </span>
    </>
  );
}

function EditValue({ attribute, close, done }: { attribute: Attribute; close: () => void; done: (value: Value) => void }) {
  const { definition } = attribute;
  const own = attribute.own as Value | undefined;
  const [value, setValue] = useState<Value>(own ?? (definition.multiple ? [] : null));
  return (
    <Modal
      open
      title={`${definition.label ?? definition.name}, set on the person`}
      onCancel={close}
      okText="See what changes"
      onOk={() => done(value === "" ? null : value)}
    >
      <p className="soft small">
        {definition.about} {definition.type}
        {definition.multiple &&
          (definition.own_values === "replace" ? ", many; replaces what the groups give" : ", many; adds to what the groups give")}
      </p>
      <ValueField definition={definition} value={value} change={setValue} />
      <p className="above-8">
        <button type="button" className="textlink" disabled={own === undefined || own === null} onClick={() => done(null)}>
          Clear what is set on the person
        </button>
      </p>
    </Modal>
  );
}
