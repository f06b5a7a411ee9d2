import { useQuery } from "@tanstack/react-query";
import { DatePicker, Modal, Select } from "antd";
import dayjs from "dayjs";
import { useState } from "react";
import { queries } from "../../api/queries";
import type { PeopleData } from "../../state/directory";
import type { Asked } from "./acts";

/** Somebody leaves: until when the account is good, and to whom what they own and keep goes. */
export function LeavePerson({
  login,
  name,
  people,
  ask,
  close,
}: {
  login: string;
  name: string;
  people: PeopleData;
  ask: (asked: Asked) => void;
  close: () => void;
}) {
  const [day, setDay] = useState(dayjs());
  const [heir, setHeir] = useState<string | null>(null);
  const owned = useQuery(queries.owns(login));
  const handed = (owned.data?.things ?? []).filter((thing) => thing.becomes.startsWith("needs"));
  return (
    <Modal
      open
      title={`${name} leaves`}
      onCancel={close}
      okText="See what changes"
      onOk={() => {
        ask({ title: `${name} leaves?`, act: { leave: { login, last_day: day.format("YYYY-MM-DD"), hand_over_to: heir } }, danger: true });
        close();
      }}
    >
      <div className="people-form">
        <label htmlFor="leave-day">Last day</label>
        <DatePicker id="leave-day" allowClear={false} value={day} onChange={(next) => next && setDay(next)} />
        <label htmlFor="leave-heir">Hand over to</label>
        <Select
          id="leave-heir"
          showSearch
          allowClear
          placeholder="nobody"
          optionFilterProp="label"
          value={heir}
          onChange={(value) => setHeir(value ?? null)}
          options={people.people
            .filter((person) => person.login !== login)
            .map((person) => ({ value: person.login, label: `${person.name} · ${person.login}` }))}
        />
      </div>
      <p className="soft">
        After that day the account is good for nothing: sessions and tokens end, and so does what is mapped to it in person. Groups and
        values stay, so that the trail can be read.
      </p>
      {handed.length > 0 && (
        <>
          <h3>Goes to whom you name</h3>
          {handed.map((thing) => (
            <p key={`${thing.kind}.${thing.name}`} className="small">
              <span className="soft">{thing.kind}</span> <b>{thing.name}</b>
            </p>
          ))}
        </>
      )}
    </Modal>
  );
}
