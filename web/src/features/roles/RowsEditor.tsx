import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Checkbox, DatePicker, Input, InputNumber, Radio, Select } from "antd";
import dayjs from "dayjs";
import { useMemo, useRef, useState } from "react";
import { api, type Clause, data, type ModelAnswer, type Problem, type Schemas } from "../../api/client";
import { ConditionEditor, type Known } from "../../ui/ConditionEditor";
import { count } from "../../ui/Share";
import { columnText, conditionText, usableColumns } from "./clauses";

export type Attribute = Schemas["AttributeDefinition"];

const OWN: Known[] = ["login", "name", "email", "mail_domain", "organization", "organizations", "branch", "groups", "roles"].map(
  (name) => ({
    label: `viewer.${name}`,
    detail: "viewer",
  }),
);

/** Whether a condition can be used, and its clauses where it is simple. */
export function useCheck(model: string | null, table: string | null, where: string, kind: "rows" | "pages" | "assignment") {
  return useQuery({
    queryKey: ["check", model, table, where, kind],
    queryFn: () => data(api.POST("/api/check", { body: { model, table, where, kind } })),
    placeholderData: keepPreviousData,
    enabled: where.trim() !== "" && (kind !== "rows" || (model !== null && table !== null)),
    staleTime: 60_000,
  });
}

type Props = {
  model: ModelAnswer;
  table: string;
  where: string;
  onChange: (where: string) => void;
  attributes: Attribute[];
  viewerValues: (name: string) => string | null;
};

/** A rows sentence, by values, by viewer attribute, by range, or as text; the picker and the text stay in step. */
export function RowsEditor({ model, table, where, onChange, attributes, viewerValues }: Props) {
  const check = useCheck(model.document.name, table, where, "rows");
  const columns = useMemo(() => usableColumns(model.document, model.reaches, table), [model, table]);
  const clauses: Clause[] | null = where.trim() === "" ? [] : check.data?.valid ? check.data.clauses : null;
  const problem: Problem | null = where.trim() === "" ? null : (check.data?.problem ?? null);
  const [picked, setPicked] = useState<string | null>(null);
  const first = clauses?.[0];
  const last = useRef("");
  if (first) last.current = `${first.table}.${first.column}`;
  const current =
    picked ??
    (last.current ? last.current : first ? `${first.table}.${first.column}` : columns[0] ? `${table}.${columns[0].column.name}` : "");
  const at = columns.find((item) => `${item.table}.${item.column.name}` === current);
  const clause = clauses?.find((item) => `${item.table}.${item.column}` === current) ?? null;
  const names: Known[] = useMemo(
    () => [
      ...columns.map((item) => ({ label: columnText(item.table, item.column.name, table), detail: item.column.type })),
      ...attributes.map((attribute) => ({
        label: `viewer.${attribute.name}`,
        detail: `${attribute.type}${attribute.multiple ? ", many" : ""}`,
      })),
      ...OWN,
      ...["AND", "OR", "NOT", "IN", "IS NULL", "BETWEEN", "LIKE", "CURRENT_DATE"].map((word) => ({ label: word, detail: "" })),
    ],
    [columns, attributes, table],
  );

  const replace = (made: Clause | null) => {
    if (!clauses || !at) return;
    const index = clauses.findIndex((item) => `${item.table}.${item.column}` === current);
    const next =
      index < 0
        ? made
          ? [...clauses, made]
          : clauses
        : clauses.flatMap((item, place) => (place === index ? (made ? [made] : []) : [item]));
    setPicked(current);
    onChange(conditionText(next, table));
  };
  const empty = (kind: Clause["kind"]): Clause => ({
    table: at?.table ?? table,
    column: at?.column.name ?? "",
    type: at?.column.type ?? "text",
    kind,
    negated: false,
    values: [],
  });

  return (
    <div className="rows-editor">
      <div className="box">
        <div className="row" style={{ marginBottom: 6 }}>
          <Select
            aria-label="Column"
            showSearch
            value={current}
            onChange={setPicked}
            style={{ flex: 1, minWidth: 0 }}
            options={columns.map((item) => ({
              value: `${item.table}.${item.column.name}`,
              label: item.table === table ? item.column.name : `${item.table} › ${item.column.name}`,
            }))}
          />
          <span className="soft small">{at?.column.type}</span>
        </div>
        {clauses === null ? (
          <p className="soft small">
            {problem
              ? "When the text checks out, the picker follows it."
              : "This condition says more than the picker can show. Edit it as text."}
          </p>
        ) : (
          at && (
            <ClausePicker
              key={current}
              model={model.document.name}
              at={at}
              clause={clause}
              empty={empty}
              replace={replace}
              attributes={attributes}
              viewerValues={viewerValues}
            />
          )
        )}
      </div>
      <div className="box">
        <div className="row small" style={{ marginBottom: 4 }}>
          <b>as text</b>
          <span className="grow" />
          <span className={problem ? "warn" : "soft"} data-testid="check-verdict">
            {where.trim() === "" ? "say which rows" : problem ? "does not check out" : "checks out"}
          </span>
        </div>
        <ConditionEditor
          value={where}
          onChange={onChange}
          names={names}
          problem={problem}
          label={`Condition on ${table}`}
          hint="area IN viewer.areas"
        />
        {problem && (
          <p className="small warn" role="alert">
            {problem.message}
            {problem.nearest && (
              <>
                {" "}
                Nearest:{" "}
                <button
                  type="button"
                  className="textlink"
                  onClick={() => onChange(where.slice(0, problem.start ?? 0) + problem.nearest + where.slice(problem.end ?? where.length))}
                >
                  {problem.nearest}
                </button>
              </>
            )}
          </p>
        )}
      </div>
    </div>
  );
}

type PickerProps = {
  model: string;
  at: ReturnType<typeof usableColumns>[number];
  clause: Clause | null;
  empty: (kind: Clause["kind"]) => Clause;
  replace: (clause: Clause | null) => void;
  attributes: Attribute[];
  viewerValues: (name: string) => string | null;
};

function ClausePicker({ model, at, clause, empty, replace, attributes, viewerValues }: PickerProps) {
  const ranged = ["integer", "number", "date"].includes(at.column.type);
  const [tab, setTab] = useState<Clause["kind"]>(
    clause?.kind ?? (attributes.some((item) => item.name === `${at.column.name}s` || item.name === at.column.name) ? "viewer" : "values"),
  );
  const negated = clause?.negated ?? false;
  return (
    <>
      <div className="tabs small">
        <div role="tablist" className="tablist">
          {(["values", "viewer", ...(ranged ? (["range"] as const) : []), "blank"] as const).map((kind) => (
            <button key={kind} type="button" role="tab" aria-selected={tab === kind} onClick={() => setTab(kind)}>
              {kind}
            </button>
          ))}
        </div>
        <span className="grow" />
        {clause && tab !== "range" && (
          <Radio.Group size="small" value={negated} onChange={(event) => replace({ ...clause, negated: event.target.value as boolean })}>
            <Radio.Button value={false}>is</Radio.Button>
            <Radio.Button value={true}>is not</Radio.Button>
          </Radio.Group>
        )}
      </div>
      {tab === "values" && (
        <Values
          model={model}
          at={at}
          clause={clause?.kind === "values" ? clause : null}
          make={() => ({ ...empty("values"), negated })}
          replace={replace}
        />
      )}
      {tab === "viewer" && (
        <div className="values">
          {attributes
            .filter(
              (attribute) =>
                attribute.type === at.column.type ||
                (["integer", "number"].includes(attribute.type) && ["integer", "number"].includes(at.column.type)),
            )
            .map((attribute) => {
              const on = clause?.kind === "viewer" && clause.viewer === attribute.name;
              const value = viewerValues(attribute.name);
              return (
                <div key={attribute.name}>
                  <Checkbox
                    checked={on}
                    onChange={() =>
                      replace(on ? null : { ...empty("viewer"), negated, viewer: attribute.name, many: attribute.multiple ?? false })
                    }
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
          {at.column.type === "text" &&
            (["login", "email", "organization", "groups"] as const).map((name) => {
              const on = clause?.kind === "viewer" && clause.viewer === name;
              return (
                <div key={name}>
                  <Checkbox
                    checked={on}
                    onChange={() => replace(on ? null : { ...empty("viewer"), negated, viewer: name, many: name === "groups" })}
                  >
                    <code>viewer.{name}</code>
                  </Checkbox>
                </div>
              );
            })}
        </div>
      )}
      {tab === "range" && (
        <Range type={at.column.type} clause={clause?.kind === "range" ? clause : null} empty={() => empty("range")} replace={replace} />
      )}
      {tab === "blank" && (
        <Checkbox
          checked={clause?.kind === "blank"}
          onChange={(event) => replace(event.target.checked ? { ...empty("blank"), negated } : null)}
        >
          {at.column.name} is {negated ? "not " : ""}blank
        </Checkbox>
      )}
    </>
  );
}

function Values({
  model,
  at,
  clause,
  make,
  replace,
}: {
  model: string;
  at: PickerProps["at"];
  clause: Clause | null;
  make: () => Clause;
  replace: (clause: Clause | null) => void;
}) {
  const [search, setSearch] = useState("");
  const found = useQuery({
    queryKey: ["values", model, at.table, at.column.name, search],
    queryFn: () =>
      data(
        api.GET("/api/models/{model}/values/{table}/{column}", {
          params: { path: { model, table: at.table, column: at.column.name }, query: { search } },
        }),
      ),
    placeholderData: keepPreviousData,
    staleTime: 60_000,
  });
  const chosen = new Set(clause?.values.map(String));
  const toggle = (value: unknown) => {
    const base = clause ?? make();
    const values = chosen.has(String(value)) ? base.values.filter((item) => String(item) !== String(value)) : [...base.values, value];
    replace(values.length ? { ...base, values } : null);
  };
  const missing = (clause?.values ?? []).filter(
    (value) =>
      search === "" && (found.data?.distinct ?? 0) <= 200 && !found.data?.values.some((entry) => String(entry.value) === String(value)),
  );
  return (
    <>
      {(found.data?.distinct ?? 0) > 10 && (
        <Input
          allowClear
          size="small"
          placeholder="Search values"
          aria-label="Search values"
          value={search}
          onChange={(event) => setSearch(event.target.value)}
        />
      )}
      <div className="values">
        {missing.map((value) => (
          <div key={String(value)} className="row">
            <Checkbox checked onChange={() => toggle(value)}>
              {String(value)}
            </Checkbox>
            <span className="grow" />
            <span className="warn small">matches no row</span>
          </div>
        ))}
        {found.data?.values.map((entry) => (
          <div key={String(entry.value)} className="row">
            <Checkbox checked={chosen.has(String(entry.value))} onChange={() => toggle(entry.value)}>
              {String(entry.value)}
            </Checkbox>
            <span className="grow" />
            <span className="soft small">{count(entry.rows)}</span>
          </div>
        ))}
        {found.data && found.data.values.length === 0 && <p className="soft small">No value matches.</p>}
        {found.isError && <p className="warn small">{found.error.message}</p>}
      </div>
      {found.data && (
        <p className="soft small">
          {count(found.data.distinct)} values{found.data.blank > 0 && `, ${count(found.data.blank)} rows blank`}
          {found.data.distinct > found.data.values.length && search === "" && "; search to find the others"}
        </p>
      )}
    </>
  );
}

function Range({
  type,
  clause,
  empty,
  replace,
}: {
  type: string;
  clause: Clause | null;
  empty: () => Clause;
  replace: (clause: Clause | null) => void;
}) {
  const set = (side: "low" | "high", value: unknown) => {
    const made = { ...(clause ?? empty()), [side]: value };
    replace((made.low ?? null) === null && (made.high ?? null) === null ? null : made);
  };
  const field = (side: "low" | "high", label: string) =>
    type === "date" ? (
      <DatePicker
        aria-label={label}
        placeholder={label}
        value={clause?.[side] ? dayjs(String(clause[side])) : null}
        onChange={(day) => set(side, day ? day.format("YYYY-MM-DD") : null)}
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
    <div className="row">
      {field("low", "from")} {field("high", "up to")}
    </div>
  );
}
