import { Input, InputNumber, Modal, Select, Switch } from "antd";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { type PeopleData, usePlace } from "../../state/directory";
import { Notice } from "../../ui/Notice";
import type { Asked, Value } from "./acts";
import { ValueField } from "./ValueField";

type Place = Schemas["PlaceCard"];
type Set = Record<string, { value: Value; locked: boolean }>;

/** A group or organization: what it is called, who keeps it, the attribute values it sets. Nothing is done before gain and loss are shown. */
export function PlaceEditor({
  kind,
  name,
  under,
  people,
  ask,
  close,
}: {
  kind: "group" | "organization";
  name: string | null;
  under: string | null;
  people: PeopleData;
  ask: (asked: Asked) => void;
  close: () => void;
}) {
  const place = usePlace(kind, name);
  if (name !== null && !place.data) return place.isError ? <Notice kind="bad">{place.error.message}</Notice> : null;
  return <Form kind={kind} place={place.data ?? null} under={under} people={people} ask={ask} close={close} />;
}

function Form({
  kind,
  place,
  under,
  people,
  ask,
  close,
}: {
  kind: "group" | "organization";
  place: Place | null;
  under: string | null;
  people: PeopleData;
  ask: (asked: Asked) => void;
  close: () => void;
}) {
  const [name, setName] = useState(place?.name ?? "");
  const [label, setLabel] = useState(place && place.label !== place.name ? place.label : "");
  const [about, setAbout] = useState(place?.about ?? "");
  const [keeper, setKeeper] = useState(place?.keeper ?? "");
  const [priority, setPriority] = useState<number | null>(place?.priority ?? null);
  const [enabled, setEnabled] = useState(place?.enabled ?? true);
  const [parent, setParent] = useState<string | null>(under ?? place?.parents[0] ?? null);
  const before = valuesOf(place);
  const [values, setValues] = useState<Set>(before);
  const word = kind === "group" ? "group" : "organization";
  const others = kind === "group" ? people.groups : people.organizations;
  const taken = place === null && others.some((item) => item.name.toLowerCase() === name.trim().toLowerCase());
  const needsParent = kind === "organization" && place === null && people.organizations.length > 0 && parent === null;
  const next = () => {
    const names = new Set([...Object.keys(before), ...Object.keys(values)]);
    const changed = [...names].filter((item) => JSON.stringify(before[item]) !== JSON.stringify(values[item]));
    const common = { name: name.trim(), version: place?.version ?? null, label: label.trim(), about: about.trim(), keeper: keeper.trim() };
    const title = place ? `Change the ${word} ${place.label}?` : `Add the ${word} ${label.trim() || name.trim()}?`;
    if (kind === "group") {
      const attributes = Object.fromEntries(changed.map((item) => [item, values[item]?.value ?? null]));
      const act = { save_group: { ...common, enabled, attributes, ...(priority === null ? { no_priority: true } : { priority }) } };
      ask({
        title,
        act,
        done:
          place === null && under !== null
            ? () =>
                ask({
                  title: `Put ${label.trim() || name.trim()} into ${people.groups.find((item) => item.name === under)?.label ?? under}?`,
                  act: { move_group: { name: name.trim(), into: under } },
                })
            : undefined,
      });
    } else {
      const attributes = Object.fromEntries(
        changed.map((item) => [item, values[item] ? { value: values[item].value, locked: values[item].locked } : null]),
      );
      ask({ title, act: { save_organization: { ...common, parent, attributes } } });
    }
    close();
  };
  const definitions = people.attributes.filter((item) => item.shown_to !== "nobody");
  const free = definitions.filter((item) => !(item.name in values));
  return (
    <Modal
      open
      width={600}
      title={
        place
          ? `Edit ${place.label}`
          : under && kind === "group"
            ? `New group inside ${people.groups.find((item) => item.name === under)?.label ?? under}`
            : `New ${word}`
      }
      onCancel={close}
      okText="See what changes"
      okButtonProps={{ disabled: name.trim() === "" || taken || needsParent }}
      onOk={next}
    >
      <div className="people-form">
        <label htmlFor="place-name">Name</label>
        <div>
          <Input
            id="place-name"
            className="mono"
            disabled={place !== null}
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
          {taken && <span className="warn small">There is one of that name already.</span>}
          {place === null && <span className="soft small">It stays: sentences refer to it. The label can change.</span>}
        </div>
        <label htmlFor="place-label">Label</label>
        <Input id="place-label" value={label} onChange={(event) => setLabel(event.target.value)} />
        {kind === "organization" &&
          (people.organizations.length > 0 || place !== null) &&
          !(place !== null && place.parents.length === 0) && (
            <>
              <label htmlFor="place-parent">Lies in</label>
              <Select
                id="place-parent"
                aria-label="Lies in"
                showSearch
                optionFilterProp="label"
                value={parent}
                onChange={setParent}
                options={people.organizations
                  .filter((item) => item.name !== place?.name)
                  .map((item) => ({ value: item.name, label: item.label }))}
              />
            </>
          )}
        <label htmlFor="place-about">What it is</label>
        <Input.TextArea
          id="place-about"
          autoSize={{ minRows: 1, maxRows: 4 }}
          value={about}
          onChange={(event) => setAbout(event.target.value)}
        />
        <label htmlFor="place-keeper">Keeper</label>
        <Input id="place-keeper" placeholder="who answers for it" value={keeper} onChange={(event) => setKeeper(event.target.value)} />
        {kind === "group" && (
          <>
            <label htmlFor="place-priority">Priority</label>
            <div className="row">
              <InputNumber id="place-priority" value={priority} onChange={setPriority} />
              <span className="soft small">lower first, where groups set different values; none comes last</span>
            </div>
            <span>Enabled</span>
            <div>
              <Switch aria-label="Enabled" checked={enabled} onChange={setEnabled} />
            </div>
          </>
        )}
      </div>
      <h3>Attribute values for everybody in it</h3>
      {Object.entries(values).map(([item, set]) => {
        const definition = definitions.find((other) => other.name === item);
        if (!definition) return null;
        return (
          <div key={item} className="row below-6">
            <span className="cut wide-120">{definition.label ?? item}</span>
            <span className="grow">
              <ValueField
                definition={definition}
                label={definition.label ?? item}
                value={set.value}
                change={(value) => setValues({ ...values, [item]: { ...set, value } })}
              />
            </span>
            {kind === "organization" && (
              <Switch
                size="small"
                aria-label={`Lock ${item}`}
                checkedChildren="locked"
                unCheckedChildren="free"
                checked={set.locked}
                onChange={(locked) => setValues({ ...values, [item]: { ...set, locked } })}
              />
            )}
            <button
              type="button"
              className="textlink small"
              onClick={() => setValues(Object.fromEntries(Object.entries(values).filter(([other]) => other !== item)))}
            >
              clear
            </button>
          </div>
        );
      })}
      {free.length > 0 && (
        <Select
          size="small"
          aria-label="Set an attribute"
          placeholder="+ set an attribute"
          className="wide-200"
          value={null}
          onChange={(item: string) => setValues({ ...values, [item]: { value: null, locked: false } })}
          options={free.map((item) => ({ value: item.name, label: item.label ?? item.name }))}
        />
      )}
      {kind === "organization" && (
        <p className="soft small">A locked value cannot be overridden further down: not by a person, not by a group.</p>
      )}
    </Modal>
  );
}

function valuesOf(place: Place | null): Set {
  return Object.fromEntries(
    Object.entries(place?.attributes ?? {}).map(([name, kept]) => {
      const locked = typeof kept === "object" && kept !== null && !Array.isArray(kept) && "value" in kept;
      return [name, locked ? { value: kept.value as Value, locked: Boolean(kept.locked) } : { value: kept as Value, locked: false }];
    }),
  );
}
