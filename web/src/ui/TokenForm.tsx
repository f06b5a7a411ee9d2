import { useMutation } from "@tanstack/react-query";
import { Checkbox, Input, Modal, Select } from "antd";
import { useState } from "react";
import type { Schemas } from "../api/client";
import { useChanged } from "../api/queries";
import { Notice } from "./Notice";

type Body = Schemas["NewToken"];
type Act = Body["scope"]["acts"][number];

const ACTS: [Act, string][] = [
  ["read", "read: ask questions, and look as far as the account may"],
  ["people", "people: change people, as far as the account may"],
  ["stand-in", "stand in: ask as another person, as far as the account may"],
];

/** A token to make; what it is stands here this one time. */
export function TokenForm({
  make,
  close,
  children,
}: {
  make: (body: Body) => Promise<Schemas["MadeToken"]>;
  close: () => void;
  children?: React.ReactNode;
}) {
  const changed = useChanged();
  const [name, setName] = useState("");
  const [acts, setActs] = useState<Act[]>(["read"]);
  const [days, setDays] = useState<number>(90);
  const token = useMutation({
    mutationFn: () => make({ name: name.trim(), scope: { acts, models: "all" }, days: days === 0 ? null : days }),
    onSuccess: () => changed(),
  });
  if (token.data)
    return (
      <Modal
        open
        title={`The token ${token.data.entry.name}`}
        okText="I have it"
        cancelButtonProps={{ hidden: true }}
        onOk={close}
        onCancel={close}
      >
        <Notice kind="careful">
          <b>Shown this one time.</b> Keep it like a password. Send it as <code>Authorization: Bearer …</code>
        </Notice>
        <code className="breaks-anywhere" data-testid="token">
          {token.data.token}
        </code>
      </Modal>
    );
  return (
    <Modal
      open
      title="A token for a program"
      okText="Make it"
      okButtonProps={{ disabled: name.trim() === "" || acts.length === 0, loading: token.isPending }}
      onOk={() => token.mutate()}
      onCancel={close}
    >
      {children}
      <p>
        <label htmlFor="token-name">Name</label>
        <Input
          id="token-name"
          autoFocus
          maxLength={100}
          placeholder="what it is for"
          value={name}
          onChange={(event) => setName(event.target.value)}
        />
      </p>
      <p>May</p>
      <Checkbox.Group
        value={acts}
        onChange={(next) => setActs(next as Act[])}
        options={ACTS.map(([value, label]) => ({ value, label }))}
        className="column"
      />
      <p>
        <label htmlFor="token-days">Good for</label>{" "}
        <Select
          id="token-days"
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
      {token.isError && <Notice kind="bad">{token.error.message}</Notice>}
    </Modal>
  );
}
