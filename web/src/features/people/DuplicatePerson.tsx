import { useQuery } from "@tanstack/react-query";
import { Input, Modal } from "antd";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { Notice } from "../../ui/Notice";
import type { Asked } from "./acts";
import { CopiedItems, useTaken } from "./CopiedItems";

/** Somebody new with what another has, in one act; dated and sensitive access is left out unless it is chosen. */
export function DuplicatePerson({
  person,
  ask,
  close,
  added,
}: {
  person: Schemas["PersonCard"];
  ask: (asked: Asked) => void;
  close: () => void;
  added: (login: string) => void;
}) {
  const [login, setLogin] = useState("");
  const [name, setName] = useState("");
  const [email, setEmail] = useState("");
  const found = useQuery(queries.copying(person.login));
  const items = found.data?.items ?? [];
  const choice = useTaken(items);
  const next = () => {
    ask({
      title: `Add ${name.trim()} with what ${person.name} has?`,
      act: {
        add_person: {
          login: login.trim(),
          name: name.trim(),
          email: email.trim() || null,
          organization: person.organization,
          kind: person.kind,
          groups: choice.groups,
          attributes: choice.attributes,
          roles: choice.roles(`as ${person.login}`),
        },
      },
      done: () => added(login.trim()),
    });
    close();
  };
  return (
    <Modal
      open
      width={620}
      title={`Somebody new, with what ${person.name} has`}
      onCancel={close}
      okText="See what changes"
      okButtonProps={{ disabled: login.trim() === "" || name.trim() === "" || !found.data }}
      onOk={next}
    >
      <div className="people-form">
        <label htmlFor="twin-login">Login</label>
        <Input id="twin-login" className="mono" autoFocus value={login} onChange={(event) => setLogin(event.target.value)} />
        <label htmlFor="twin-name">Name</label>
        <Input id="twin-name" value={name} onChange={(event) => setName(event.target.value)} />
        <label htmlFor="twin-email">E-mail</label>
        <Input id="twin-email" value={email} onChange={(event) => setEmail(event.target.value)} />
      </div>
      {found.isError && <Notice kind="bad">{found.error.message}</Notice>}
      {found.data && items.length === 0 && (
        <p className="soft">{person.name} has nothing of their own: no group, no attribute, no role mapped to the person.</p>
      )}
      <CopiedItems items={items} choice={choice} />
    </Modal>
  );
}
