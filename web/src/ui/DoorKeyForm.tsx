import { useMutation } from "@tanstack/react-query";
import { Input, Modal, Select } from "antd";
import { useState } from "react";
import type { Schemas } from "../api/client";
import { useChanged } from "../api/queries";
import { Notice } from "./Notice";

type Body = Schemas["NewDoorKey"];

const NAME = /^[a-z0-9][a-z0-9._-]*$/;

/** A door key to make; what it is stands here this one time, with the name a client comes with. */
export function DoorKeyForm({
  make,
  close,
  children,
}: {
  make: (body: Body) => Promise<Schemas["MadeDoorKey"]>;
  close: () => void;
  children?: React.ReactNode;
}) {
  const changed = useChanged();
  const [name, setName] = useState("");
  const [days, setDays] = useState(90);
  const key = useMutation({ mutationFn: () => make({ name, days: days === 0 ? null : days }), onSuccess: () => changed() });
  if (key.data)
    return (
      <Modal
        open
        title={`The door key ${key.data.entry.name}`}
        okText="I have it"
        cancelButtonProps={{ hidden: true }}
        onOk={close}
        onCancel={close}
      >
        <Notice kind="careful">
          <b>Shown this one time.</b> Keep it like a password. A client comes with this user, and the key as its password:
        </Notice>
        <p>
          User <code>{key.data.user}</code>
        </p>
        <p>
          Key{" "}
          <code className="breaks-anywhere" data-testid="door-key">
            {key.data.key}
          </code>
        </p>
      </Modal>
    );
  const wrong = name !== "" && !NAME.test(name);
  return (
    <Modal
      open
      title="A door key for a SQL client"
      okText="Make it"
      okButtonProps={{ disabled: name === "" || wrong, loading: key.isPending }}
      onOk={() => key.mutate()}
      onCancel={close}
    >
      {children}
      <p>
        <label htmlFor="door-key-name">Name</label>
        <Input
          id="door-key-name"
          autoFocus
          maxLength={60}
          placeholder="where it is used: laptop, notebook, ledger"
          status={wrong ? "error" : undefined}
          value={name}
          onChange={(event) => setName(event.target.value)}
          onPressEnter={() => name !== "" && !wrong && key.mutate()}
        />
        {wrong && <span className="warn small">Small letters, digits, dots, dashes and underscores; a letter or digit first.</span>}
      </p>
      <p>
        <label htmlFor="door-key-days">Good for</label>{" "}
        <Select
          id="door-key-days"
          value={days}
          onChange={setDays}
          options={[
            { value: 7, label: "a week" },
            { value: 30, label: "30 days" },
            { value: 90, label: "90 days" },
            { value: 365, label: "a year" },
            { value: 0, label: "without end" },
          ]}
        />
      </p>
      {key.isError && <Notice kind="bad">{key.error.message}</Notice>}
    </Modal>
  );
}
