import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { App, Button, Input, InputNumber, Modal, Select, Switch } from "antd";
import { useState } from "react";
import { NavLink } from "react-router-dom";
import { ApiError, api, data, type Schemas } from "../../api/client";
import { useModel, useWorkbench } from "../../app/workbench";
import { Impact } from "../../ui/Impact";
import { Notice } from "../../ui/Notice";
import { Share } from "../../ui/Share";

type Card = Schemas["PersonCard"];
type Change = { title: string; body: Omit<Schemas["PatchedPersonChange"], "version"> };
type Attribute = Card["attributes"][number];

/** What reaches a person: groups by path, attributes with where they come from, roles by path, pages, shares. */
export function PersonCard({ login, people }: { login: string; people: Schemas["PeopleAnswer"] }) {
  const bench = useWorkbench();
  const model = useModel();
  const [change, setChange] = useState<Change | null>(null);
  const card = useQuery({
    queryKey: ["person", login, bench.state],
    queryFn: () => data(api.GET("/api/people/{login}", { params: { path: { login }, query: { state: bench.state } } })),
    retry: false,
  });
  if (card.isError) {
    return (
      <Notice kind="bad">
        {card.error instanceof ApiError && card.error.status === 404 ? `There is nobody with the login ${login}.` : card.error.message}
      </Notice>
    );
  }
  if (!card.data) return <p className="soft">Opening…</p>;
  const person = card.data;
  const organization = people.organizations.find((item) => item.name === person.organization)?.label ?? person.organization;
  const share = bench.model ? person.shares[bench.model] : undefined;
  return (
    <div data-testid="person-card">
      <div className="row">
        <h2 className="cut">{person.name}</h2>
        <code>{person.login}</code>
        <span className="grow" />
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
        <Switch
          checked={person.enabled}
          checkedChildren="enabled"
          unCheckedChildren="disabled"
          aria-label="Enabled"
          onChange={(enabled) => setChange({ title: `${enabled ? "Enable" : "Disable"} ${person.name}?`, body: { enabled } })}
        />
      </div>
      <p className="soft">
        {organization ?? "no organization"} {person.email && `· ${person.email}`} {person.kind === "service" && "· service account"}
      </p>
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
        style={{ width: 220, marginTop: 4 }}
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
                ? path.groups.join(" › ")
                : path.assignment?.user
                  ? "the person"
                  : path.assignment?.everyone
                    ? "everybody"
                    : (path.assignment?.when ?? ""),
            )
            .join("; ")}
          {role.paths.map(
            (path) =>
              path.assignment?.until && (
                <span key={path.assignment.until} className="soft">
                  {" "}
                  until {path.assignment.until}
                </span>
              ),
          )}
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
      <h3>Pages</h3>
      <p className="small">
        {person.pages.length === 0 ? (
          <span className="soft">None.</span>
        ) : (
          person.pages.map((page) => (
            <NavLink key={page} to={`/pages/${encodeURIComponent(page)}`} style={{ marginRight: 10 }}>
              {page}
            </NavLink>
          ))
        )}
      </p>
      {change && <Confirm person={person} change={change} close={() => setChange(null)} />}
    </div>
  );
}

function ShareLine({ table }: { table: Schemas["TableShare"] }) {
  return (
    <>
      <span className="cut">{table.table}</span>
      <Share
        visible={table.visible}
        rows={table.rows}
        width={80}
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

type Value = string | number | boolean | (string | number)[] | null;

function EditValue({ attribute, close, done }: { attribute: Attribute; close: () => void; done: (value: Value) => void }) {
  const { definition } = attribute;
  const own = attribute.own as Value | undefined;
  const [value, setValue] = useState<Value>(own ?? (definition.multiple ? [] : null));
  const numeric = definition.type === "integer" || definition.type === "number";
  const options = (definition.allowed ?? []).map((item) => ({ value: item as string | number, label: String(item) }));
  const typed = (items: (string | number)[]) => (numeric ? items.map(Number).filter((item) => Number.isFinite(item)) : items.map(String));
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
      {definition.multiple ? (
        <Select
          mode={options.length ? "multiple" : "tags"}
          aria-label="Values"
          style={{ width: "100%" }}
          value={(value ?? []) as (string | number)[]}
          onChange={(items) => setValue(typed(items))}
          options={options}
          tokenSeparators={[";"]}
          placeholder="Type a value and press Enter"
        />
      ) : options.length ? (
        <Select
          allowClear
          aria-label="Value"
          style={{ width: "100%" }}
          value={value as string}
          onChange={(item) => setValue(item ?? null)}
          options={options}
        />
      ) : definition.type === "boolean" ? (
        <Switch checked={value === true} onChange={setValue} />
      ) : numeric ? (
        <InputNumber
          aria-label="Value"
          style={{ width: "100%" }}
          value={value as number | null}
          precision={definition.type === "integer" ? 0 : undefined}
          onChange={setValue}
        />
      ) : (
        <Input
          aria-label="Value"
          value={(value ?? "") as string}
          onChange={(event) => setValue(event.target.value)}
          placeholder={definition.type === "date" ? "2026-03-31" : ""}
        />
      )}
      <p style={{ marginTop: 8 }}>
        <button type="button" className="textlink" disabled={own === undefined || own === null} onClick={() => done(null)}>
          Clear what is set on the person
        </button>
      </p>
    </Modal>
  );
}

/** Shows who gains and who loses, and only then makes the change. */
function Confirm({ person, change, close }: { person: Card; change: Change; close: () => void }) {
  const client = useQueryClient();
  const { message } = App.useApp();
  const body = { ...change.body, version: person.version };
  const path = { login: person.login };
  const preview = useQuery({
    queryKey: ["try-person", person.login, body],
    queryFn: () => data(api.PATCH("/api/people/{login}", { params: { path, query: { try: true } }, body })),
    retry: false,
    gcTime: 0,
  });
  const make = useMutation({
    mutationFn: () => data(api.PATCH("/api/people/{login}", { params: { path }, body })),
    onSuccess: async () => {
      await client.invalidateQueries();
      message.success("Done. It acts at once.");
      close();
    },
  });
  const error = preview.error ?? make.error;
  return (
    <Modal
      open
      width={640}
      title={change.title}
      onCancel={close}
      okText="Do it now"
      okButtonProps={{ disabled: !preview.data, loading: make.isPending }}
      onOk={() => make.mutate()}
    >
      {error && <Notice kind="bad">{error.message}</Notice>}
      {error instanceof ApiError && error.status === 409 && (
        <Button
          onClick={async () => {
            await client.invalidateQueries({ queryKey: ["person"] });
            close();
          }}
        >
          Load what is there now
        </Button>
      )}
      {preview.isPending && <p className="soft">Working out who gains and loses…</p>}
      {preview.data && <Impact viewers={preview.data.viewers} />}
    </Modal>
  );
}
