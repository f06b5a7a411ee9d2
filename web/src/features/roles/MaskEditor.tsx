import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Input, InputNumber, Radio, Select } from "antd";
import { api, data, type ModelAnswer } from "../../api/client";
import { shownValue } from "../../ui/figures";
import { splitName } from "../../ui/fullNames";
import { Notice } from "../../ui/Notice";
import { fits, fresh, KIND_LABELS, type MaskKind, maskKind, type With } from "./masks";
import { OptionalCondition } from "./RowsEditor";
import type { Editing, Part } from "./sentence";

type Mask = Part<"mask">;
type Props = { editing: Editing; sentence: Mask; onChange: (sentence: Mask) => void };

/** A mask: the column, what is shown in its place, when, what enters totals; with a sample on real values. */
export function MaskEditor({ editing, sentence, onChange }: Props) {
  const { model } = editing;
  const [table, name] = splitName(sentence.column);
  const shape = model.document.tables?.find((item) => item.name === table);
  const column = shape?.columns?.find((item) => item.name === name);
  const type = column?.type ?? "text";
  const kind = maskKind(sentence.with);
  const set = (mask: With) => {
    const shownFits = ["round", "period", "hash"].includes(maskKind(mask));
    onChange({ ...sentence, with: mask, in_totals: sentence.in_totals === "shown" && !shownFits ? "no" : sentence.in_totals });
  };
  const how = typeof sentence.in_totals === "object" ? "full" : (sentence.in_totals ?? "no");
  const referred = (model.document.relationships ?? []).some((item) => item.to === sentence.column || item.from === sentence.column);
  return (
    <div className="form">
      <div className="field">
        Cells of
        <Select
          showSearch
          aria-label="Masked column"
          placeholder="Choose a column"
          style={{ flex: 1, minWidth: 220 }}
          value={sentence.column || undefined}
          optionFilterProp="label"
          onChange={(next: string) => {
            const [owner, own] = splitName(next);
            const nextType =
              model.document.tables?.find((item) => item.name === owner)?.columns?.find((item) => item.name === own)?.type ?? "text";
            onChange({
              ...sentence,
              column: next,
              with: fits(kind, nextType) ? sentence.with : "withhold",
              when: owner === table ? sentence.when : null,
            });
          }}
          options={columnOptions(model)}
        />
        <span className="soft small">{column?.type}</span>
      </div>
      {(shape?.key === name || referred) && column && (
        <Notice kind="careful">
          {shape?.key === name ? `${name} is the key of ${table}` : `${name} links ${table} to another table`}. Relationships keep working
          on the true value, but viewers cannot tell rows apart by it, filters on it match nothing, and the order of rows falls back to a
          hash.
        </Notice>
      )}
      <div className="row wrap">
        <span>show</span>
        <Radio.Group
          size="small"
          aria-label="Shown in its place"
          value={kind}
          onChange={(event) => set(fresh(event.target.value as MaskKind))}
        >
          {(Object.keys(KIND_LABELS) as MaskKind[]).map((item) => (
            <Radio.Button key={item} value={item} disabled={!fits(item, type)}>
              {KIND_LABELS[item]}
            </Radio.Button>
          ))}
        </Radio.Group>
      </div>
      <Details mask={sentence.with} onChange={set} />
      {sentence.column && <Sample editing={editing} sentence={sentence} />}
      {sentence.column && (
        <OptionalCondition
          key={table}
          editing={editing}
          table={table}
          where={sentence.when ?? null}
          onChange={(when) => onChange({ ...sentence, when })}
          label="Masked where (unknown counts as masked)"
          always="Masked in every row."
        />
      )}
      <div className="row wrap">
        <span>In totals</span>
        <Radio.Group
          size="small"
          aria-label="In totals"
          value={how}
          onChange={(event) => {
            const next = event.target.value as "no" | "shown" | "full";
            onChange({ ...sentence, in_totals: next === "full" ? { full: { at_least: 5 } } : next });
          }}
        >
          <Radio.Button value="no">not at all</Radio.Button>
          <Radio.Button value="shown" disabled={!["round", "period", "hash"].includes(kind)}>
            as shown
          </Radio.Button>
          <Radio.Button value="full">in full</Radio.Button>
        </Radio.Group>
        {typeof sentence.in_totals === "object" && (
          <>
            in lines of at least
            <InputNumber
              size="small"
              min={1}
              aria-label="At least so many rows"
              style={{ width: 70 }}
              value={sentence.in_totals.full.at_least}
              onChange={(at_least) => at_least && onChange({ ...sentence, in_totals: { full: { at_least } } })}
            />
            rows
          </>
        )}
      </div>
      <p className="soft small">
        {how === "no" && "A masked cell enters no sum, average or count of its column."}
        {how === "shown" && "Totals count what is shown, not the true value."}
        {how === "full" &&
          "They may see the average, not the line: a line with fewer rows is withheld, and its rows are left out of the totals above it."}
      </p>
    </div>
  );
}

function columnOptions(model: ModelAnswer) {
  return (model.document.tables ?? [])
    .filter((table) => !table.alias_of)
    .map((table) => ({
      label: table.name,
      options: (table.columns ?? []).map((column) => ({ value: `${table.name}.${column.name}`, label: `${table.name} › ${column.name}` })),
    }));
}

function Details({ mask, onChange }: { mask: With; onChange: (mask: With) => void }) {
  if (typeof mask === "string") return null;
  if ("fixed" in mask) {
    return (
      <Input
        size="small"
        aria-label="Fixed text"
        style={{ maxWidth: 260 }}
        value={mask.fixed.text}
        onChange={(event) => onChange({ fixed: { text: event.target.value } })}
      />
    );
  }
  if ("round" in mask) {
    return (
      <div className="field">
        to the nearest
        <InputNumber
          size="small"
          min={0.000001}
          aria-label="Rounded to"
          value={mask.round.to}
          onChange={(to) => to && onChange({ round: { to } })}
        />
      </div>
    );
  }
  if ("period" in mask) {
    return (
      <div className="field">
        only its
        <Select
          showSearch
          optionFilterProp="label"
          size="small"
          aria-label="Period"
          value={mask.period.to}
          onChange={(to) => onChange({ period: { to } })}
          options={["month", "quarter", "year"].map((value) => ({ value: value as "month", label: value }))}
        />
      </div>
    );
  }
  const keep = mask.keep;
  return (
    <div className="field">
      the first
      <InputNumber
        size="small"
        min={0}
        aria-label="First characters"
        style={{ width: 60 }}
        value={keep.first ?? 0}
        onChange={(first) => onChange({ keep: { ...keep, first: first ?? 0 } })}
      />
      and the last
      <InputNumber
        size="small"
        min={0}
        aria-label="Last characters"
        style={{ width: 60 }}
        value={keep.last ?? 0}
        onChange={(last) => onChange({ keep: { ...keep, last: last ?? 0 } })}
      />
      characters, the others as
      <Input
        size="small"
        aria-label="Fill"
        maxLength={1}
        style={{ width: 40 }}
        value={keep.fill}
        onChange={(event) => event.target.value && onChange({ keep: { ...keep, fill: event.target.value } })}
      />
    </div>
  );
}

const SAMPLE = "moorland sample";

/** Real values beside what the mask shows of them. */
function Sample({ editing, sentence }: { editing: Editing; sentence: Mask }) {
  const model = editing.model.document.name;
  const [table, name] = splitName(sentence.column);
  const mask = { column: sentence.column, with: sentence.with, in_totals: "no" as const };
  const sample = useQuery({
    queryKey: ["mask-sample", model, mask],
    queryFn: () =>
      data(
        api.POST("/api/rows", {
          body: {
            viewers: [{ imagine: { only_roles: [SAMPLE] } }],
            edited: [{ name: SAMPLE, kind: "grant", model, sentences: [{ mask }] }],
            rows: { model, table, columns: [`${table}.${name}`], limit: 60, where: null, order: [] },
          },
        }),
      ),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const seen = new Map<string, { value: unknown; shown: unknown }>();
  for (const row of sample.data?.rows ?? []) {
    const value = row.values[0];
    if (value !== null && seen.size < 5) seen.set(String(value), { value, shown: row.shown[0]?.[0] });
  }
  if (sample.isError) return <p className="small warn">{sample.error.message}</p>;
  return (
    <div className="sample" data-testid="mask-sample">
      <span className="soft small">For example</span>
      {[...seen.values()].map(({ value, shown }) => (
        <span key={String(value)} className="nowrap small">
          {shownValue(value)} <span className="soft">→</span>{" "}
          {shown === null || shown === undefined ? <span className="msk">nothing</span> : <span className="msk">{shownValue(shown)}</span>}
        </span>
      ))}
      {sample.data && seen.size === 0 && <span className="soft small">the column is blank throughout</span>}
    </div>
  );
}
