import { Button, Checkbox, Input, InputNumber, Radio, Select } from "antd";
import { Fragment, useMemo, useState } from "react";
import type { Schemas } from "../../api/client";
import { ConditionBuilder } from "../conditions/ConditionBuilder";
import { subjectKey } from "../conditions/clauses";
import type { Buildable } from "./buildable";
import { asKind, isChart, sides, subjectsOf, withSides } from "./exhibits";
import { MadeHere } from "./MadeHere";

type Exhibit = Schemas["Exhibit"];
const KINDS: Exhibit["kind"][] = ["figure", "bar", "line", "treemap", "list", "two_way"];
const KIND_WORDS: Record<Exhibit["kind"], string> = {
  figure: "figure",
  bar: "bar",
  line: "line",
  treemap: "treemap",
  list: "list",
  two_way: "two-way table",
};

type Props = {
  model: Buildable;
  exhibit: Exhibit;
  onChange: (exhibit: Exhibit) => void;
  onRemove: () => void;
  onCopy: () => void;
  onMove: (by: -1 | 1) => void;
  /** For a reader: what only a page of a release has is left out. */
  own?: boolean;
};

/** What an exhibit shows: its kind, columns and measures, filter, colours and place on the grid. */
export function ExhibitForm({ model, exhibit, onChange, onRemove, onCopy, onMove, own = false }: Props) {
  const [filtered, setFiltered] = useState(Boolean(exhibit.where));
  const measures = model.measures;
  const tables = (exhibit.measures ?? [])
    .map((name) => measures.find((item) => item.name === name)?.table)
    .filter((table) => table !== undefined);
  const source = exhibit.kind === "list" ? (exhibit.table ?? null) : (tables[0] ?? null);
  const subjects = useMemo(
    () => subjectsOf(model, exhibit.kind === "list" ? [exhibit.table ?? ""] : tables),
    [model, exhibit.kind, exhibit.table, tables],
  );
  const made = exhibit.made ?? [];
  const grouped = made.filter((item) => !(exhibit.measures ?? []).includes(item.as));
  const options = [
    ...subjects.map((item) => ({ value: subjectKey(item), label: `${item.table}.${item.column}` })),
    ...grouped.map((item) => ({ value: item.as, label: item.as })),
  ];
  const set = (change: Partial<Exhibit>) => onChange({ ...exhibit, ...change });
  const by = exhibit.by ?? [];
  const placed = sides(exhibit);
  const reached = new Set(subjects.map((item) => item.table));
  const hierarchies = model.hierarchies
    .filter((item) => reached.has(item.table))
    .map((item) => ({ value: `levels:${item.name}`, label: `${item.label}: all levels` }));
  const levelsOf = (name: string) => {
    const found = model.hierarchies.find((item) => `levels:${item.name}` === name);
    return found ? found.levels.map((level) => `${found.table}.${level}`) : [name];
  };
  const chart = isChart(exhibit.kind);
  return (
    <div className="form exhibit-form" data-testid="exhibit-form">
      <label htmlFor="exhibit-title">Title</label>
      <Input id="exhibit-title" value={exhibit.title} onChange={(event) => set({ title: event.target.value })} />
      <span id="exhibit-kind">Shown as</span>
      <Radio.Group
        size="small"
        aria-labelledby="exhibit-kind"
        value={exhibit.kind}
        onChange={(event) => onChange(asKind(exhibit, event.target.value as Exhibit["kind"], model))}
      >
        {KINDS.map((kind) => (
          <Radio.Button key={kind} value={kind}>
            {KIND_WORDS[kind]}
          </Radio.Button>
        ))}
      </Radio.Group>
      {exhibit.kind === "list" ? (
        <>
          <span>Rows of</span>
          <Select
            showSearch
            aria-label="Rows of"
            placeholder="table"
            value={exhibit.table ?? undefined}
            onChange={(table) => set({ table, columns: [], order: [], where: null })}
            options={model.tables.map((table) => ({ value: table.name, label: table.name }))}
          />
          <span>Columns</span>
          <Select
            mode="multiple"
            aria-label="Columns"
            placeholder="all there are"
            value={(exhibit.columns ?? []).map((name) => (name.includes(".") ? name : `${exhibit.table}.${name}`))}
            onChange={(columns) => set({ columns })}
            optionFilterProp="label"
            options={options}
          />
          <span>In the order of</span>
          <Select
            mode="multiple"
            aria-label="Order"
            placeholder="the key"
            value={exhibit.order ?? []}
            onChange={(order) => set({ order })}
            optionFilterProp="label"
            options={options.flatMap((item) => [item, { value: `-${item.value}`, label: `${item.label}, last first` }])}
          />
          <span>At most</span>
          <InputNumber
            aria-label="At most rows"
            min={1}
            max={1000}
            placeholder="100"
            value={exhibit.limit ?? null}
            onChange={(limit) => set({ limit })}
          />
        </>
      ) : (
        <>
          <span>Measures</span>
          <Select
            mode="multiple"
            aria-label="Measures"
            placeholder="what is counted"
            value={exhibit.measures ?? []}
            onChange={(next) => set({ measures: next })}
            optionFilterProp="label"
            options={[
              ...measures.map((item) => ({ value: item.name, label: item.label })),
              ...made.filter((item) => (exhibit.measures ?? []).includes(item.as)).map((item) => ({ value: item.as, label: item.as })),
            ]}
          />
          {chart && (
            <>
              <span>Set out by</span>
              <Select
                showSearch
                aria-label="Set out by"
                placeholder="column"
                value={by[0]}
                onChange={(first) => set({ by: [first] })}
                optionFilterProp="label"
                options={options}
              />
            </>
          )}
          {exhibit.kind === "two_way" && (
            <>
              {(["down", "across"] as const).map((side) => (
                <Fragment key={side}>
                  <span>{side === "down" ? "Down" : "Across"}</span>
                  <Select
                    mode="multiple"
                    aria-label={side === "down" ? "Down" : "Across"}
                    placeholder="columns, outer ones first"
                    value={placed[side]}
                    onChange={(next: string[]) => {
                      const named = next.flatMap((item) => levelsOf(item));
                      onChange(
                        side === "down"
                          ? withSides(exhibit, [...new Set(named)], placed.across)
                          : withSides(exhibit, placed.down, [...new Set(named)]),
                      );
                    }}
                    optionFilterProp="label"
                    options={[
                      ...hierarchies,
                      ...options.filter((item) => !placed[side === "down" ? "across" : "down"].includes(item.value)),
                    ]}
                  />
                </Fragment>
              ))}
              <span>Totals</span>
              <Checkbox checked={exhibit.totals ?? false} onChange={(event) => set({ totals: event.target.checked })}>
                of rows and columns
              </Checkbox>
            </>
          )}
          {chart && (
            <>
              <span>Colour by</span>
              <Select
                showSearch
                allowClear
                aria-label="Colour by"
                placeholder="one colour"
                value={exhibit.colour ?? undefined}
                onChange={(colour?: string) => set({ colour: colour ?? null })}
                optionFilterProp="label"
                options={options}
              />
            </>
          )}
        </>
      )}
      {exhibit.kind !== "list" && <MadeHere exhibit={exhibit} model={model} onChange={onChange} />}
      <span>Width</span>
      <Radio.Group
        size="small"
        aria-label="Width"
        value={exhibit.width ?? 0}
        onChange={(event) => set({ width: (event.target.value as 0 | 1 | 2 | 3) || null })}
      >
        <Radio.Button value={0}>as it comes</Radio.Button>
        <Radio.Button value={1}>a third</Radio.Button>
        <Radio.Button value={2}>two thirds</Radio.Button>
        <Radio.Button value={3}>whole</Radio.Button>
      </Radio.Group>
      {!own && (
        <>
          <span>To whom it is absent</span>
          <Radio.Group
            size="small"
            aria-label="Where a reader may not see it"
            value={exhibit.absent ?? "close"}
            onChange={(event) => set({ absent: event.target.value as "close" | "keep" })}
          >
            <Radio.Button value="close">the page closes up</Radio.Button>
            <Radio.Button value="keep">its place stays, “not available”</Radio.Button>
          </Radio.Group>
        </>
      )}
      {filtered ? (
        <div className="wide">
          <div className="row small">
            <span className="soft">Only rows where</span>
            <span className="grow" />
            <button
              type="button"
              className="textlink"
              onClick={() => {
                setFiltered(false);
                set({ where: null });
              }}
            >
              every row
            </button>
          </div>
          <ConditionBuilder
            key={`${exhibit.kind}.${source ?? ""}`}
            model={model.name}
            table={exhibit.kind === "list" ? (exhibit.table ?? null) : null}
            kind="question"
            where={exhibit.where ?? ""}
            onChange={(where) => set({ where: where.trim() === "" ? null : where })}
            subjects={subjects}
            attributes={[]}
            label="Filter of the exhibit"
            hint="site.status = 'open'"
            empty="left empty: every row"
          />
        </div>
      ) : (
        <>
          <span>Rows</span>
          <div className="row">
            <span className="soft">{own ? "every row you see" : "every row the reader sees"}</span>
            <button type="button" className="textlink" onClick={() => setFiltered(true)}>
              only where…
            </button>
          </div>
        </>
      )}
      <div className="row wide">
        <Button size="small" onClick={() => onMove(-1)}>
          Earlier
        </Button>
        <Button size="small" onClick={() => onMove(1)}>
          Later
        </Button>
        <Button size="small" onClick={onCopy}>
          Duplicate
        </Button>
        <span className="grow" />
        <button type="button" className="textlink warn" onClick={onRemove}>
          Take out
        </button>
      </div>
    </div>
  );
}
