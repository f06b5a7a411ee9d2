import { useQuery } from "@tanstack/react-query";
import { Checkbox, Modal, Select } from "antd";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import type { PeopleData } from "../../state/directory";
import { Notice } from "../../ui/Notice";
import type { Asked } from "./acts";

type Item = Schemas["CopyItem"];

/** Gives somebody what another person has; dated and sensitive access is left out unless it is chosen. */
export function CopyAccess({
  to,
  people,
  ask,
  close,
}: {
  to: { login: string; name: string };
  people: PeopleData;
  ask: (asked: Asked) => void;
  close: () => void;
}) {
  const [from, setFrom] = useState<string | null>(null);
  const [left, setLeft] = useState<Record<string, boolean>>({});
  const found = useQuery({ ...queries.copying(from ?? ""), enabled: from !== null });
  const items = found.data?.items ?? [];
  const key = (item: Item) => `${item.kind}.${item.name}.${item.from ?? ""}`;
  const taken = (item: Item) => left[key(item)] ?? !(item.dated || item.sensitive);
  const chosen = items.filter((item) => taken(item) && !(item.kind === "attribute" && (item.value === null || item.value === undefined)));
  const source = people.people.find((person) => person.login === from);
  const next = () => {
    ask({
      title: `Give ${to.name} what ${source?.name ?? from} has?`,
      act: {
        change_people: {
          logins: [to.login],
          join: chosen.filter((item) => item.kind === "group").map((item) => item.name),
          attributes: Object.fromEntries(chosen.filter((item) => item.kind === "attribute").map((item) => [item.name, item.value ?? null])),
          give: chosen
            .filter((item) => item.kind === "role")
            .map((item) => ({ role: item.name, from: item.from, until: item.until, reason: `copied from ${from}` })),
        },
      },
    });
    close();
  };
  return (
    <Modal
      open
      width={620}
      title={`Copy access to ${to.name}`}
      onCancel={close}
      okText="See what changes"
      okButtonProps={{ disabled: chosen.length === 0 }}
      onOk={next}
    >
      <Select
        showSearch
        aria-label="From whom"
        placeholder="from whom"
        className="full"
        optionFilterProp="label"
        value={from}
        onChange={(login) => {
          setFrom(login);
          setLeft({});
        }}
        options={people.people
          .filter((person) => person.login !== to.login)
          .map((person) => ({ value: person.login, label: `${person.name} · ${person.login}` }))}
      />
      {found.isError && <Notice kind="bad">{found.error.message}</Notice>}
      {found.data && items.length === 0 && (
        <p className="soft">Nothing of their own: no group, no attribute, no role mapped to the person.</p>
      )}
      {items.map((item) => (
        <div key={key(item)} className="copy-item">
          <Checkbox
            checked={taken(item)}
            disabled={item.kind === "attribute" && (item.value === null || item.value === undefined)}
            onChange={(event) => setLeft({ ...left, [key(item)]: event.target.checked })}
          >
            <span className="soft">{item.kind}</span> <b>{item.label}</b> <span className="soft small">{item.detail}</span>
          </Checkbox>
          {(item.dated || item.sensitive) && (
            <div className="careful small">
              {item.dated && "dated access"}
              {item.dated && item.sensitive && "; "}
              {item.sensitive}
              {!taken(item) && ": left out"}
            </div>
          )}
        </div>
      ))}
      <p className="soft small">What the person has already stays. An attribute is set to the copied value.</p>
    </Modal>
  );
}
