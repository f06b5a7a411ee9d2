import { useQuery } from "@tanstack/react-query";
import { Modal, Select } from "antd";
import { useState } from "react";
import { queries } from "../../api/queries";
import type { PeopleData } from "../../state/directory";
import { Notice } from "../../ui/Notice";
import type { Asked } from "./acts";
import { CopiedItems, useTaken } from "./CopiedItems";

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
  const found = useQuery({ ...queries.copying(from ?? ""), enabled: from !== null });
  const items = found.data?.items ?? [];
  const choice = useTaken(items);
  const source = people.people.find((person) => person.login === from);
  const next = () => {
    ask({
      title: `Give ${to.name} what ${source?.name ?? from} has?`,
      act: {
        change_people: {
          logins: [to.login],
          join: choice.groups,
          attributes: choice.attributes,
          give: choice.roles(`copied from ${from}`),
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
      okButtonProps={{ disabled: choice.chosen.length === 0 }}
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
          choice.reset();
        }}
        options={people.people
          .filter((person) => person.login !== to.login)
          .map((person) => ({ value: person.login, label: `${person.name} · ${person.login}` }))}
      />
      {found.isError && <Notice kind="bad">{found.error.message}</Notice>}
      {found.data && items.length === 0 && (
        <p className="soft">Nothing of their own: no group, no attribute, no role mapped to the person.</p>
      )}
      <CopiedItems items={items} choice={choice} />
      <p className="soft small">What the person has already stays. An attribute is set to the copied value.</p>
    </Modal>
  );
}
