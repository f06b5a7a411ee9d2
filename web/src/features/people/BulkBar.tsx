import { Button, Dropdown, Input, Modal, Select } from "antd";
import { useState } from "react";
import type { PeopleData } from "../../state/directory";
import { useRights } from "../../state/rights";
import { plural } from "../../ui/figures";
import type { Asked, Value } from "./acts";
import { Invitations } from "./Invitations";
import { ValueField } from "./ValueField";

type What = "join" | "leave" | "organization" | "attribute" | "role";

const TITLES: Record<What, string> = {
  join: "Add to a group",
  leave: "Take out of a group",
  organization: "Move to an organization",
  attribute: "Set an attribute",
  role: "Give a role",
};

/** What to do with the chosen people; each act shows gain and loss before it is done. */
export function BulkBar({
  logins,
  people,
  ask,
  remove,
  clear,
}: {
  logins: string[];
  people: PeopleData;
  ask: (asked: Asked) => void;
  remove: () => void;
  clear: () => void;
}) {
  const [doing, setDoing] = useState<What | null>(null);
  const [inviting, setInviting] = useState(false);
  const { may } = useRights();
  const count = plural(logins.length, "person", "people");
  return (
    <div className="row wrap bulk-people" data-testid="bulk">
      <b>{count} chosen</b>
      <Dropdown
        trigger={["click"]}
        menu={{
          items: (Object.keys(TITLES) as What[]).map((key) => ({ key, label: `${TITLES[key]}…` })),
          onClick: ({ key }) => setDoing(key as What),
        }}
      >
        <Button size="small">Change…</Button>
      </Dropdown>
      <Button size="small" onClick={() => ask({ title: `Enable ${count}?`, act: { change_people: { logins, enabled: true } } })}>
        Enable
      </Button>
      <Button size="small" onClick={() => ask({ title: `Disable ${count}?`, act: { change_people: { logins, enabled: false } } })}>
        Disable
      </Button>
      {may("links") && (
        <Button size="small" onClick={() => setInviting(true)}>
          Links…
        </Button>
      )}
      {may("people") && (
        <Button size="small" danger onClick={remove}>
          Delete…
        </Button>
      )}
      {inviting && <Invitations logins={logins} close={() => setInviting(false)} />}
      <button type="button" className="textlink" onClick={clear}>
        none
      </button>
      {doing && <BulkForm what={doing} logins={logins} people={people} ask={ask} close={() => setDoing(null)} />}
    </div>
  );
}

/** One act for some people: what is chosen, and for how long. */
export function BulkForm({
  what,
  logins,
  people,
  ask,
  close,
}: {
  what: What;
  logins: string[];
  people: PeopleData;
  ask: (asked: Asked) => void;
  close: () => void;
}) {
  const [name, setName] = useState<string | null>(null);
  const [value, setValue] = useState<Value>(null);
  const [from, setFrom] = useState("");
  const [until, setUntil] = useState("");
  const definition = people.attributes.find((item) => item.name === name);
  const options = {
    join: people.groups.map((item) => ({ value: item.name, label: `${item.label} · ${item.name}` })),
    leave: people.groups
      .filter((item) => item.users.some((login) => logins.includes(login)))
      .map((item) => ({ value: item.name, label: `${item.label} · ${item.name}` })),
    organization: people.organizations.map((item) => ({ value: item.name, label: item.label })),
    attribute: people.attributes
      .filter((item) => item.shown_to !== "nobody")
      .map((item) => ({ value: item.name, label: item.label ?? item.name })),
    role: Object.entries(people.labels).map(([key, label]) => ({ value: key, label })),
  }[what];
  const label = options.find((item) => item.value === name)?.label ?? "";
  const who =
    logins.length === 1
      ? (people.people.find((person) => person.login === logins[0])?.name ?? "")
      : plural(logins.length, "person", "people");
  const next = () => {
    if (name === null) return;
    const common = { logins };
    const act = {
      join: { ...common, join: [name] },
      leave: { ...common, leave: [name] },
      organization: { ...common, organization: name },
      attribute: { ...common, attributes: { [name]: value as string } },
      role: { ...common, give: [{ role: name, from: from || null, until: until || null }] },
    }[what];
    ask({ title: `${TITLES[what]}: ${label}, ${who}?`, act: { change_people: act } });
    close();
  };
  const wrong = from !== "" && until !== "" && until < from;
  return (
    <Modal
      open
      title={`${TITLES[what]}: ${who}`}
      onCancel={close}
      okText="See what changes"
      okButtonProps={{ disabled: name === null || wrong }}
      onOk={next}
    >
      <Select
        showSearch
        optionFilterProp="label"
        aria-label={TITLES[what]}
        className="full"
        placeholder="choose"
        value={name}
        onChange={setName}
        options={options}
      />
      {what === "attribute" && definition && (
        <div className="above-8">
          <ValueField definition={definition} value={value} change={setValue} />
          <p className="soft small">Blank clears what is set on the person.</p>
        </div>
      )}
      {what === "role" && (
        <div className="row above-8">
          <span className="soft">from</span>
          <Input type="date" aria-label="From" className="wide-150" value={from} onChange={(event) => setFrom(event.target.value)} />
          <span className="soft">until</span>
          <Input type="date" aria-label="Until" className="wide-150" value={until} onChange={(event) => setUntil(event.target.value)} />
        </div>
      )}
      {wrong && <p className="warn">The last day is before the first.</p>}
    </Modal>
  );
}
