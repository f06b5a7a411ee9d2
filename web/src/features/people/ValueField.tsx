import { Input, InputNumber, Select, Switch } from "antd";
import type { Schemas } from "../../api/client";
import type { Value } from "./acts";

/** A field for a value of an attribute: one or many, of its type, picked where the values are listed. */
export function ValueField({
  definition,
  value,
  change,
  label,
}: {
  definition: Schemas["AttributeDefinition"];
  value: Value;
  change: (value: Value) => void;
  label?: string;
}) {
  const numeric = definition.type === "integer" || definition.type === "number";
  const options = (definition.allowed ?? []).map((item) => ({ value: item as string | number, label: String(item) }));
  const typed = (items: (string | number)[]) => (numeric ? items.map(Number).filter((item) => Number.isFinite(item)) : items.map(String));
  const name = label ?? (definition.multiple ? "Values" : "Value");
  if (definition.multiple) {
    return (
      <Select
        mode={options.length ? "multiple" : "tags"}
        aria-label={name}
        className="full"
        value={(value ?? []) as (string | number)[]}
        onChange={(items) => change(items.length > 0 ? typed(items) : null)}
        options={options}
        tokenSeparators={[";"]}
        placeholder="Type a value and press Enter"
      />
    );
  }
  if (options.length) {
    return (
      <Select
        allowClear
        aria-label={name}
        className="full"
        value={value as string}
        onChange={(item) => change(item ?? null)}
        options={options}
      />
    );
  }
  if (definition.type === "boolean") return <Switch aria-label={name} checked={value === true} onChange={change} />;
  if (numeric) {
    return (
      <InputNumber
        aria-label={name}
        className="full"
        value={value as number | null}
        precision={definition.type === "integer" ? 0 : undefined}
        onChange={(item) => change(item ?? null)}
      />
    );
  }
  return (
    <Input
      aria-label={name}
      value={(value ?? "") as string}
      onChange={(event) => change(event.target.value || null)}
      placeholder={definition.type === "date" ? "2026-03-31" : definition.type === "timestamp" ? "2026-03-31T12:00:00" : ""}
    />
  );
}
