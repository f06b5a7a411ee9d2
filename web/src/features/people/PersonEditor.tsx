import { Checkbox, DatePicker, Input, Modal, Select } from "antd";
import dayjs from "dayjs";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import type { PeopleData } from "../../state/directory";
import type { Asked } from "./acts";

/** What is kept of a person beside groups, attributes and roles. */
export function PersonEditor({
  person,
  people,
  ask,
  close,
}: {
  person: Schemas["PersonCard"];
  people: PeopleData;
  ask: (asked: Asked) => void;
  close: () => void;
}) {
  const [name, setName] = useState(person.name);
  const [email, setEmail] = useState(person.email ?? "");
  const [organization, setOrganization] = useState<string | null>(person.organization);
  const [about, setAbout] = useState(person.about);
  const [keeper, setKeeper] = useState(person.keeper);
  const [days, setDays] = useState({ from: person.good.from ?? null, until: person.good.until ?? null });
  const kept = {
    must_change_password: person.sign_in.must_change_password ?? false,
    password_never_expires: person.sign_in.password_never_expires ?? false,
    keeps_password: person.sign_in.keeps_password ?? false,
  };
  const [flags, setFlags] = useState(kept);
  const other = people.people.find(
    (item) => item.login !== person.login && email.trim() !== "" && item.email?.toLowerCase() === email.trim().toLowerCase(),
  );
  const fault = other
    ? `The e-mail belongs to ${other.name} (${other.login}).`
    : email.trim() !== "" && !/^\S+@\S+$/.test(email.trim())
      ? "That is no e-mail address."
      : null;
  const next = () => {
    const change: Schemas["PeopleChange"] = { logins: [person.login], versions: { [person.login]: person.version } };
    if (name.trim() !== person.name) change.name = name.trim();
    if (email.trim() !== (person.email ?? "")) change.email = email.trim();
    if (organization !== person.organization) change.organization = organization ?? "";
    if (about !== person.about) change.about = about;
    if (keeper !== person.keeper) change.keeper = keeper;
    if (days.from !== (person.good.from ?? null) || days.until !== (person.good.until ?? null)) change.good = days;
    if (JSON.stringify(flags) !== JSON.stringify(kept)) change.sign_in = flags;
    ask({ title: `Change ${person.name}?`, act: { change_people: change } });
    close();
  };
  return (
    <Modal
      open
      title={`Edit ${person.name} · ${person.login}`}
      onCancel={close}
      okText="See what changes"
      okButtonProps={{ disabled: name.trim() === "" || fault !== null }}
      onOk={next}
    >
      <div className="people-form">
        <label htmlFor="person-name">Name</label>
        <Input id="person-name" disabled={person.said.includes("name")} value={name} onChange={(event) => setName(event.target.value)} />
        <label htmlFor="person-email">E-mail</label>
        <Input
          id="person-email"
          disabled={person.said.includes("email")}
          value={email}
          onChange={(event) => setEmail(event.target.value)}
        />
        <label htmlFor="person-organization">Organization</label>
        <Select
          id="person-organization"
          aria-label="Organization"
          disabled={person.said.includes("organization")}
          showSearch
          allowClear
          optionFilterProp="label"
          value={organization}
          onChange={(value) => setOrganization(value ?? null)}
          options={people.organizations.map((item) => ({ value: item.name, label: item.label }))}
        />
        <label htmlFor="person-from">Good from, until</label>
        <div className="row">
          <DatePicker
            id="person-from"
            placeholder="always"
            value={days.from ? dayjs(days.from) : null}
            onChange={(day) => setDays({ ...days, from: day ? day.format("YYYY-MM-DD") : null })}
          />
          <DatePicker
            aria-label="Good until"
            placeholder="without end"
            value={days.until ? dayjs(days.until) : null}
            onChange={(day) => setDays({ ...days, until: day ? day.format("YYYY-MM-DD") : null })}
          />
        </div>
        {person.kind === "person" && (
          <>
            <span className="soft">Password</span>
            <div>
              {(
                [
                  ["must_change_password", "changed at the next sign-in"],
                  ["password_never_expires", "is never over"],
                  ["keeps_password", "is not changed by who uses it"],
                ] as const
              ).map(([key, label]) => (
                <div key={key}>
                  <Checkbox checked={flags[key]} onChange={(event) => setFlags({ ...flags, [key]: event.target.checked })}>
                    {label}
                  </Checkbox>
                </div>
              ))}
            </div>
          </>
        )}
        <label htmlFor="person-about">About</label>
        <Input.TextArea
          id="person-about"
          autoSize={{ minRows: 1, maxRows: 5 }}
          value={about}
          onChange={(event) => setAbout(event.target.value)}
        />
        <label htmlFor="person-keeper">Keeper</label>
        <Input
          id="person-keeper"
          placeholder="who answers for this account"
          value={keeper}
          onChange={(event) => setKeeper(event.target.value)}
        />
      </div>
      {fault && <p className="warn">{fault}</p>}
    </Modal>
  );
}
