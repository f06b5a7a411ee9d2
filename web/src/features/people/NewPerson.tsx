import { Input, Modal, Select } from "antd";
import { useState } from "react";
import type { PeopleData } from "../../state/directory";
import type { Asked } from "./acts";

/** Somebody who is not here yet; what they would see is shown before they are added. */
export function NewPerson({
  people,
  organization,
  group,
  ask,
  close,
  added,
}: {
  people: PeopleData;
  organization: string | null;
  group: string | null;
  ask: (asked: Asked) => void;
  close: () => void;
  added: (login: string) => void;
}) {
  const [login, setLogin] = useState("");
  const [name, setName] = useState("");
  const [email, setEmail] = useState("");
  const [home, setHome] = useState<string | null>(organization);
  const [kind, setKind] = useState<"person" | "service">("person");
  const [groups, setGroups] = useState<string[]>(group ? [group] : []);
  const [about, setAbout] = useState("");
  const same = (one: string, other: string | null | undefined) =>
    one.trim() !== "" && one.trim().toLowerCase() === (other ?? "").trim().toLowerCase();
  const loginTaken = people.people.find((person) => same(login, person.login));
  const emailTaken = people.people.find((person) => same(email, person.email));
  const namesake = people.people.filter((person) => same(name, person.name));
  const fault = loginTaken
    ? `The login is taken by ${loginTaken.name} (${loginTaken.login}).`
    : emailTaken
      ? `The e-mail belongs to ${emailTaken.name} (${emailTaken.login}).`
      : email.trim() !== "" && !/^\S+@\S+$/.test(email.trim())
        ? "That is no e-mail address."
        : null;
  const next = () => {
    ask({
      title: `Add ${name.trim()}?`,
      act: {
        add_person: {
          login: login.trim(),
          name: name.trim(),
          email: email.trim() || null,
          organization: home,
          kind,
          about: about.trim(),
          groups,
        },
      },
      done: () => added(login.trim()),
    });
    close();
  };
  return (
    <Modal
      open
      title="New person"
      onCancel={close}
      okText="See what changes"
      okButtonProps={{ disabled: login.trim() === "" || name.trim() === "" || fault !== null }}
      onOk={next}
    >
      <div className="people-form">
        <label htmlFor="new-login">Login</label>
        <Input id="new-login" className="mono" value={login} onChange={(event) => setLogin(event.target.value)} />
        <label htmlFor="new-name">Name</label>
        <div>
          <Input id="new-name" value={name} onChange={(event) => setName(event.target.value)} />
          {namesake.length > 0 && (
            <span className="careful small">
              {namesake.map((person) => person.login).join(", ")} has the same name; the login tells them apart.
            </span>
          )}
        </div>
        <label htmlFor="new-email">E-mail</label>
        <Input id="new-email" value={email} onChange={(event) => setEmail(event.target.value)} />
        <label htmlFor="new-organization">Organization</label>
        <Select
          id="new-organization"
          aria-label="Organization"
          showSearch
          allowClear
          optionFilterProp="label"
          value={home}
          onChange={(value) => setHome(value ?? null)}
          options={people.organizations.map((item) => ({ value: item.name, label: item.label }))}
        />
        <label htmlFor="new-groups">Groups</label>
        <Select
          id="new-groups"
          aria-label="Groups"
          mode="multiple"
          optionFilterProp="label"
          value={groups}
          onChange={setGroups}
          options={people.groups.map((item) => ({ value: item.name, label: item.label }))}
        />
        <label htmlFor="new-kind">Kind</label>
        <Select
          id="new-kind"
          aria-label="Kind"
          value={kind}
          onChange={setKind}
          options={[
            { value: "person", label: "person" },
            { value: "service", label: "service account: never signs in" },
          ]}
        />
        <label htmlFor="new-about">About</label>
        <Input id="new-about" value={about} onChange={(event) => setAbout(event.target.value)} />
      </div>
      {fault && <p className="warn">{fault}</p>}
      <p className="soft small">No password is set. A one-time link for the first sign-in is made on the person's card.</p>
    </Modal>
  );
}
