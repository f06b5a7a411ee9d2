import { useQuery } from "@tanstack/react-query";
import { Modal, Select } from "antd";
import { useState } from "react";
import { queries } from "../../api/queries";
import type { PeopleData } from "../../state/directory";
import { plural } from "../../ui/figures";
import { Notice } from "../../ui/Notice";
import type { Asked } from "./acts";

/** What hangs on somebody, before the account is deleted; disabling takes the access away as well and keeps the rest. */
export function DeletePeople({
  logins,
  people,
  ask,
  close,
  deleted,
}: {
  logins: string[];
  people: PeopleData;
  ask: (asked: Asked) => void;
  close: () => void;
  deleted: () => void;
}) {
  const [heir, setHeir] = useState<string | null>(null);
  const one = logins[0] ?? "";
  const owned = useQuery({ ...queries.owns(one), enabled: logins.length === 1 });
  const things = owned.data?.things ?? [];
  const name = people.people.find((person) => person.login === one)?.name ?? one;
  const title = logins.length === 1 ? `Delete ${name}` : `Delete ${plural(logins.length, "person", "people")}`;
  return (
    <Modal
      open
      title={title}
      onCancel={close}
      okText="See what changes"
      okButtonProps={{ danger: true }}
      onOk={() => {
        ask({ title: `${title}?`, act: { delete_people: { logins, hand_over_to: heir } }, danger: true, done: deleted });
        close();
      }}
    >
      <Notice kind="careful">Disabling takes all access away at once and can be taken back. Deleting cannot.</Notice>
      {logins.length === 1 && owned.isPending && <p className="soft">Looking what hangs on this account…</p>}
      {logins.length === 1 && owned.data && (
        <>
          <h3>What hangs on this account</h3>
          {things.length === 0 && <p className="soft">Nothing.</p>}
          {things.map((thing) => (
            <p key={`${thing.kind}.${thing.name}`} className="small">
              <span className="soft">{thing.kind}</span> <b>{thing.name}</b>{" "}
              <span className={thing.becomes.startsWith("needs") ? "warn" : "soft"}>{thing.becomes}</span>
            </p>
          ))}
        </>
      )}
      <h3>Hand pages and what they keep over to</h3>
      <Select
        showSearch
        allowClear
        aria-label="Hand over to"
        placeholder="nobody"
        className="full"
        optionFilterProp="label"
        value={heir}
        onChange={(value) => setHeir(value ?? null)}
        options={people.people
          .filter((person) => !logins.includes(person.login))
          .map((person) => ({ value: person.login, label: `${person.name} · ${person.login}` }))}
      />
    </Modal>
  );
}
