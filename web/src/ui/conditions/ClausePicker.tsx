import { Checkbox, DatePicker, Input, InputNumber, Radio, Select } from "antd";
import dayjs from "dayjs";
import { useState } from "react";
import type { Clause, Schemas } from "../../api/client";
import type { Subject } from "./clauses";
import { ValuePicker } from "./ValuePicker";

export type Attribute = Schemas["AttributeDefinition"];
type Kind = Clause["kind"];

const KIND_WORDS: Record<Kind, string> = {
  values: "values",
  viewer: "viewer",
  range: "range",
  blank: "blank",
  pattern: "pattern",
  has: "has",
  text: "text",
};

function kindsOf(subject: Subject, viewers: boolean): Kind[] {
  if (subject.many) return ["has"];
  const ranged = ["integer", "number", "date", "timestamp"].includes(subject.type);
  return [
    "values",
    ...(subject.table === "viewer" || !viewers ? [] : (["viewer"] as const)),
    ...(ranged ? (["range"] as const) : []),
    "blank",
    ...(subject.type === "text" ? (["pattern"] as const) : []),
  ];
}

type Props = {
  model: string | null;
  subject: Subject;
  clause: Clause | null;
  replace: (clause: Clause | null) => void;
  attributes: Attribute[];
  viewerValues: (name: string) => string | null;
};

/** One clause without typing: values, an attribute of the viewer, a range, blank, or a pattern. */
export function ClausePicker({ model, subject, clause, replace, attributes, viewerValues }: Props) {
  const kinds = kindsOf(subject, attributes.length > 0 || clause?.kind === "viewer");
  const likely = attributes.some((item) => item.name === `${subject.column}s` || item.name === subject.column);
  const [chosen, setTab] = useState<Kind | null>(null);
  const tab =
    chosen ??
    (clause && kinds.includes(clause.kind) ? clause.kind : likely && kinds.includes("viewer") ? "viewer" : (kinds[0] ?? "values"));
  const negated = clause?.negated ?? false;
  const made = (kind: Kind, more: Partial<Clause>): Clause => ({
    table: subject.table,
    column: subject.column,
    type: subject.type,
    kind,
    negated,
    values: [],
    ...more,
    text: "",
  });
  const values = clause?.kind === tab ? (clause.values ?? []) : [];
  const setValues = (next: unknown[]) => replace(next.length ? made(tab, { values: tab === "has" ? next.slice(-1) : next }) : null);
  return (
    <>
      <div className="tabs small">
        <div role="tablist" className="tablist">
          {kinds.map((kind) => (
            <button key={kind} type="button" role="tab" aria-selected={tab === kind} onClick={() => setTab(kind)}>
              {KIND_WORDS[kind]}
            </button>
          ))}
        </div>
        <span className="grow" />
        {clause && tab !== "range" && (
          <Radio.Group
            size="small"
            aria-label="Is or is not"
            value={negated}
            onChange={(event) => replace({ ...clause, negated: event.target.value as boolean, text: "" })}
          >
            <Radio.Button value={false}>is</Radio.Button>
            <Radio.Button value={true}>not</Radio.Button>
          </Radio.Group>
        )}
      </div>
      {(tab === "values" || tab === "has") &&
        (subject.table === "viewer" || subject.table === "page" || model === null ? (
          <NamedValues subject={subject} values={values} one={tab === "has"} onChange={setValues} />
        ) : (
          <ValuePicker model={model} table={subject.table} column={subject.column} values={values} onChange={setValues} />
        ))}
      {tab === "viewer" && (
        <ViewerAttributes
          subject={subject}
          clause={clause}
          attributes={attributes}
          viewerValues={viewerValues}
          pick={(viewer, many) => replace(viewer === null ? null : made("viewer", { viewer, many }))}
        />
      )}
      {tab === "range" && (
        <Range
          type={subject.type}
          clause={clause?.kind === "range" ? clause : null}
          make={(more) => made("range", { ...more, negated: false })}
          replace={replace}
        />
      )}
      {tab === "blank" && (
        <Checkbox checked={clause?.kind === "blank"} onChange={(event) => replace(event.target.checked ? made("blank", {}) : null)}>
          {subject.label} is {negated ? "not " : ""}blank
        </Checkbox>
      )}
      {tab === "pattern" && (
        <>
          <Input
            aria-label="Pattern"
            placeholder="Grey %"
            value={String(values[0] ?? "")}
            onChange={(event) => setValues(event.target.value ? [event.target.value] : [])}
          />
          <p className="soft small">% stands for any characters, _ for one.</p>
        </>
      )}
    </>
  );
}

/** Values that are names of people, groups, pages and the like, or typed. */
function NamedValues({
  subject,
  values,
  one,
  onChange,
}: {
  subject: Subject;
  values: unknown[];
  one: boolean;
  onChange: (values: unknown[]) => void;
}) {
  if (subject.type === "boolean") {
    return (
      <Radio.Group size="small" value={values[0] as boolean | undefined} onChange={(event) => onChange([event.target.value])}>
        <Radio.Button value={true}>true</Radio.Button>
        <Radio.Button value={false}>false</Radio.Button>
      </Radio.Group>
    );
  }
  const number = ["integer", "number"].includes(subject.type);
  if (!subject.values) {
    return (
      <Select
        mode="tags"
        aria-label={`Values of ${subject.label}`}
        placeholder="Type a value, Enter adds it"
        className="full"
        value={values.map(String)}
        open={false}
        suffixIcon={null}
        onChange={(items: string[]) =>
          onChange(items.map((item) => (number ? Number(item) : item)).filter((item) => typeof item !== "number" || !Number.isNaN(item)))
        }
      />
    );
  }
  return (
    <Select
      mode={one ? undefined : "multiple"}
      showSearch
      allowClear
      aria-label={`Values of ${subject.label}`}
      placeholder="Choose"
      className="full"
      optionFilterProp="label"
      value={(one ? (values[0] as string | undefined) : (values as string[])) as never}
      options={subject.values}
      onChange={(picked: unknown) => onChange(Array.isArray(picked) ? picked : picked === undefined ? [] : [picked])}
    />
  );
}

type AttributesProps = {
  subject: Subject;
  clause: Clause | null;
  attributes: Attribute[];
  viewerValues: (name: string) => string | null;
  pick: (viewer: string | null, many: boolean) => void;
};

const OWN_TEXTS = [
  { name: "login", many: false },
  { name: "email", many: false },
  { name: "organization", many: false },
  { name: "branch", many: true },
  { name: "groups", many: true },
];

function ViewerAttributes({ subject, clause, attributes, viewerValues, pick }: AttributesProps) {
  const numeric = ["integer", "number"];
  const fitting = attributes.filter(
    (attribute) => attribute.type === subject.type || (numeric.includes(attribute.type) && numeric.includes(subject.type)),
  );
  const on = (name: string) => clause?.kind === "viewer" && clause.viewer === name;
  return (
    <div className="values">
      {fitting.map((attribute) => {
        const value = viewerValues(attribute.name);
        return (
          <div key={attribute.name}>
            <Checkbox
              checked={on(attribute.name)}
              onChange={() => pick(on(attribute.name) ? null : attribute.name, attribute.multiple ?? false)}
            >
              <code>viewer.{attribute.name}</code>{" "}
              <span className="soft small">
                {attribute.type}
                {attribute.multiple ? ", many" : ""}
              </span>{" "}
              {attribute.editable_by === "person" && <span className="warn small">self-editable</span>}
            </Checkbox>
            {value !== null && <div className="soft small beneath">{value}</div>}
          </div>
        );
      })}
      {subject.type === "text" &&
        OWN_TEXTS.map(({ name, many }) => (
          <div key={name}>
            <Checkbox checked={on(name)} onChange={() => pick(on(name) ? null : name, many)}>
              <code>viewer.{name}</code>
            </Checkbox>
          </div>
        ))}
      {fitting.length === 0 && subject.type !== "text" && <p className="soft small">No attribute of people is of type {subject.type}.</p>}
    </div>
  );
}

type RangeProps = {
  type: string;
  clause: Clause | null;
  make: (more: Partial<Clause>) => Clause;
  replace: (clause: Clause | null) => void;
};

function Range({ type, clause, make, replace }: RangeProps) {
  const set = (side: "low" | "high", value: unknown) => {
    const next = make({ low: clause?.low ?? null, high: clause?.high ?? null, [side]: value });
    replace((next.low ?? null) === null && (next.high ?? null) === null ? null : next);
  };
  const field = (side: "low" | "high", label: string) =>
    type === "date" || type === "timestamp" ? (
      <DatePicker
        aria-label={label}
        placeholder={label}
        showTime={type === "timestamp"}
        value={clause?.[side] ? dayjs(String(clause[side])) : null}
        onChange={(day) => set(side, day ? day.format(type === "date" ? "YYYY-MM-DD" : "YYYY-MM-DD HH:mm:ss") : null)}
      />
    ) : (
      <InputNumber
        aria-label={label}
        placeholder={label}
        value={(clause?.[side] as number | null | undefined) ?? null}
        onChange={(value) => set(side, value)}
      />
    );
  return (
    <div className="row wrap">
      {field("low", "from")} {field("high", "up to")}
    </div>
  );
}
