import { Button, Input, Modal, Select, Switch } from "antd";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import type { PeopleData } from "../../state/directory";
import { Empty, Notice } from "../../ui/Notice";
import { Scroll } from "../../ui/Scroll";
import type { Asked, Value } from "./acts";
import { ValueField } from "./ValueField";

type Definition = Schemas["AttributeDefinition"];

const TYPES = ["text", "integer", "number", "boolean", "date", "timestamp"].map((type) => ({ value: type, label: type }));
const EDITORS = [
  { value: "administrator", label: "administrators" },
  { value: "organization", label: "the organization" },
  { value: "person", label: "the person" },
];
const SHOWN = [
  { value: "everyone", label: "everybody" },
  { value: "administrator", label: "administrators" },
  { value: "nobody", label: "nobody: secret" },
];

/** The attributes people have: type, values, default, who may edit and see them. */
export default function Attributes({
  people,
  versions,
  ask,
  close,
}: {
  people: PeopleData;
  versions: Record<string, number>;
  ask: (asked: Asked) => void;
  close: () => void;
}) {
  const [editing, setEditing] = useState<Definition | "new" | null>(null);
  return (
    <Modal open width={860} title="Attributes" onCancel={close} footer={<Button onClick={close}>Close</Button>}>
      {people.attributes.length === 0 && editing === null && (
        <Empty title="No attribute yet">
          An attribute is something known of people that sentences can read: areas, clearance, contractor number.
        </Empty>
      )}
      {people.attributes.length > 0 && editing === null && (
        <Scroll label="Attributes" className="scroll low-420">
          <table className="data">
            <thead>
              <tr>
                <th>attribute</th>
                <th>type</th>
                <th>allowed</th>
                <th>default</th>
                <th>edited by</th>
                <th>seen by</th>
                <th>
                  <span className="visually-hidden">what can be done</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {people.attributes.map((item) => (
                <tr key={item.name}>
                  <td title={item.about ?? ""}>
                    {item.label ?? item.name} {item.label && <code className="soft">{item.name}</code>}
                  </td>
                  <td>
                    {item.type}
                    {item.multiple && `, many (${item.own_values === "replace" ? "own replace" : "own add"})`}
                  </td>
                  <td className="cut most-160">{(item.allowed ?? []).map(String).join(", ") || <span className="soft">any</span>}</td>
                  <td>{item.default === null || item.default === undefined ? <span className="soft">none</span> : String(item.default)}</td>
                  <td className={item.editable_by === "person" ? "warn" : ""}>
                    {EDITORS.find((other) => other.value === item.editable_by)?.label}
                  </td>
                  <td>{SHOWN.find((other) => other.value === item.shown_to)?.label}</td>
                  <td>
                    <button type="button" className="textlink" onClick={() => setEditing(item)}>
                      edit
                    </button>{" "}
                    <button
                      type="button"
                      className="textlink warn"
                      onClick={() =>
                        ask({
                          title: `Delete the attribute ${item.label ?? item.name} and every value set for it?`,
                          act: { delete_attribute: { name: item.name } },
                          danger: true,
                        })
                      }
                    >
                      delete
                    </button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </Scroll>
      )}
      {editing === null ? (
        <Button className="above-8" onClick={() => setEditing("new")}>
          + attribute
        </Button>
      ) : (
        <Editor
          key={editing === "new" ? "new" : editing.name}
          definition={editing === "new" ? null : editing}
          taken={people.attributes.map((item) => item.name)}
          close={() => setEditing(null)}
          save={(definition) =>
            ask({
              title:
                editing === "new"
                  ? `Add the attribute ${definition.label ?? definition.name}?`
                  : `Change the attribute ${definition.label ?? definition.name}?`,
              act: { save_attribute: { definition, version: editing === "new" ? null : (versions[definition.name] ?? 1) } },
              done: () => setEditing(null),
            })
          }
        />
      )}
    </Modal>
  );
}

function Editor({
  definition,
  taken,
  save,
  close,
}: {
  definition: Definition | null;
  taken: string[];
  save: (definition: Definition) => void;
  close: () => void;
}) {
  const [draft, setDraft] = useState<Definition>(
    definition ?? { name: "", type: "text", multiple: false, editable_by: "administrator", shown_to: "everyone", own_values: "add" },
  );
  const [allowed, setAllowed] = useState((definition?.allowed ?? []).map(String));
  const set = (part: Partial<Definition>) => setDraft({ ...draft, ...part });
  const typed = allowed.map((item) =>
    draft.type === "integer" || draft.type === "number" ? Number(item) : draft.type === "boolean" ? item === "true" : item,
  );
  const made: Definition = {
    ...draft,
    name: draft.name.trim(),
    label: draft.label?.trim() || null,
    about: draft.about?.trim() || null,
    allowed: typed.length > 0 ? typed : null,
  };
  const double = definition === null && taken.includes(made.name);
  const ready = /^[A-Za-z_]\w*$/.test(made.name) && !double && !typed.some((item) => typeof item === "number" && Number.isNaN(item));
  return (
    <div className="people-form edged-above pad-above-10">
      <label htmlFor="attribute-name">Name</label>
      <div>
        <Input
          id="attribute-name"
          className="mono"
          disabled={definition !== null}
          value={draft.name}
          onChange={(event) => set({ name: event.target.value })}
        />
        <span className={`small ${double ? "warn" : "soft"}`}>
          {double ? "There is an attribute of that name already." : `Sentences read it as viewer.${made.name || "name"}.`}
        </span>
      </div>
      <label htmlFor="attribute-label">Label</label>
      <Input id="attribute-label" value={draft.label ?? ""} onChange={(event) => set({ label: event.target.value })} />
      <label htmlFor="attribute-about">What it is</label>
      <Input id="attribute-about" value={draft.about ?? ""} onChange={(event) => set({ about: event.target.value })} />
      <label htmlFor="attribute-type">Type</label>
      <div className="row">
        <Select
          id="attribute-type"
          aria-label="Type"
          className="wide-130"
          value={draft.type}
          options={TYPES}
          onChange={(type) => set({ type: type as Definition["type"], default: null })}
        />
        <Switch
          aria-label="Many values"
          checked={draft.multiple ?? false}
          checkedChildren="many values"
          unCheckedChildren="one value"
          onChange={(multiple) => set({ multiple, default: null })}
        />
        {draft.multiple && (
          <Select
            aria-label="Own values"
            className="wide-230"
            value={draft.own_values}
            onChange={(own_values) => set({ own_values })}
            options={[
              { value: "add", label: "own values add to the groups'" },
              { value: "replace", label: "own values replace the groups'" },
            ]}
          />
        )}
      </div>
      <label htmlFor="attribute-allowed">Allowed values</label>
      <Select
        id="attribute-allowed"
        aria-label="Allowed values"
        mode="tags"
        placeholder="any value"
        tokenSeparators={[";"]}
        value={allowed}
        onChange={setAllowed}
      />
      <span>Default</span>
      <ValueField
        definition={made}
        label="Default"
        value={(draft.default ?? null) as Value}
        change={(value) => set({ default: value as Definition["default"] })}
      />
      <span>Who may edit it</span>
      <div>
        <Select
          aria-label="Who may edit it"
          className="wide-180"
          value={draft.editable_by}
          onChange={(editable_by) => set({ editable_by })}
          options={EDITORS as { value: "person"; label: string }[]}
        />
        {draft.editable_by === "person" && (
          <p className="warn small">Whoever it restricts could then change it. Do not let it decide access.</p>
        )}
      </div>
      <span>Who may see it</span>
      <Select
        aria-label="Who may see it"
        className="wide-180"
        value={draft.shown_to}
        onChange={(shown_to) => set({ shown_to })}
        options={SHOWN as { value: "everyone"; label: string }[]}
      />
      {definition?.shown_to === "nobody" && draft.shown_to !== "nobody" && (
        <>
          <span />
          <Notice kind="careful">Secret values are never opened to anyone: every value set for it now is cleared.</Notice>
        </>
      )}
      {definition && definition.shown_to !== "nobody" && draft.shown_to === "nobody" && (
        <>
          <span />
          <p className="soft small">Its values are sealed now, and never shown again, not even to you.</p>
        </>
      )}
      <span />
      <div className="row">
        <Button type="primary" disabled={!ready} onClick={() => save(made)}>
          See what changes
        </Button>
        <Button onClick={close}>Leave it</Button>
      </div>
    </div>
  );
}
