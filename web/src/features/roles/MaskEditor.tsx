import { useQuery } from "@tanstack/react-query";
import { Input, InputNumber, Radio, Select } from "antd";
import type { ModelAnswer } from "../../api/client";
import { queries } from "../../api/queries";
import { useVocabulary } from "../../state/directory";
import { shownValue } from "../../ui/figures";
import { splitName } from "../../ui/fullNames";
import { Notice } from "../../ui/Notice";
import type { Editing, Part } from "../../ui/sentences/sentence";
import { fits, type MaskKind, maskName, maskValues, written } from "./masks";
import { OptionalCondition } from "./RowsEditor";

type Mask = Part<"mask">;
type Props = { editing: Editing; sentence: Mask; onChange: (sentence: Mask) => void };

/** A mask: the column, what is shown in its place, when, what enters totals; with a sample on real values. */
export function MaskEditor({ editing, sentence, onChange }: Props) {
  const { model } = editing;
  const [table, name] = splitName(sentence.column);
  const shape = model.document.tables?.find((item) => item.name === table);
  const column = shape?.columns?.find((item) => item.name === name);
  const type = column?.type ?? "text";
  const { masks } = useVocabulary();
  const kind = masks.find((item) => item.name === maskName(sentence.with));
  const how = typeof sentence.in_totals === "object" ? "full" : (sentence.in_totals ?? "no");
  const set = (next: MaskKind, values: Record<string, unknown> = {}) =>
    onChange({ ...sentence, with: written(next, values), in_totals: next.in_totals.includes(how) ? sentence.in_totals : "no" });
  const referred = (model.document.relationships ?? []).some((item) => item.to === sentence.column || item.from === sentence.column);
  return (
    <div className="form">
      <div className="field">
        Cells of
        <Select
          showSearch
          aria-label="Masked column"
          placeholder="Choose a column"
          className="fill least-220"
          value={sentence.column || undefined}
          optionFilterProp="label"
          onChange={(next: string) => {
            const [owner, own] = splitName(next);
            const nextType =
              model.document.tables?.find((item) => item.name === owner)?.columns?.find((item) => item.name === own)?.type ?? "text";
            onChange({
              ...sentence,
              column: next,
              with: kind && fits(kind, nextType) ? sentence.with : "withhold",
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
          value={kind?.name}
          onChange={(event) => {
            const next = masks.find((item) => item.name === event.target.value);
            if (next) set(next);
          }}
        >
          {masks.map((item) => (
            <Radio.Button key={item.name} value={item.name} disabled={!fits(item, type)}>
              {item.about}
            </Radio.Button>
          ))}
        </Radio.Group>
      </div>
      {kind && kind.fields.length > 0 && (
        <MaskFields kind={kind} values={maskValues(sentence.with)} onChange={(values) => set(kind, values)} />
      )}
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
          <Radio.Button value="shown" disabled={!kind?.in_totals.includes("shown")}>
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
              className="wide-70"
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
      options: (table.columns ?? []).map((column) => ({ value: `${table.name}.${column.name}`, label: `${table.name}.${column.name}` })),
    }));
}

type FieldsProps = { kind: MaskKind; values: Record<string, unknown>; onChange: (values: Record<string, unknown>) => void };

/** What is written with a kind of mask, a field each, as the API describes them. */
function MaskFields({ kind, values, onChange }: FieldsProps) {
  return (
    <div className="row wrap">
      {kind.fields.map((field) => {
        const value = values[field.name] ?? field.start;
        const set = (next: unknown) => next !== null && next !== "" && onChange({ ...values, [field.name]: next });
        return (
          <div key={field.name} className="field">
            {field.label}
            {field.type === "choice" ? (
              <Select
                showSearch
                optionFilterProp="label"
                size="small"
                aria-label={field.label}
                value={String(value)}
                onChange={set}
                options={field.choices.map((choice) => ({ value: choice, label: choice }))}
              />
            ) : field.type === "text" ? (
              <Input
                size="small"
                aria-label={field.label}
                className={field.longest === 1 ? "one-sign" : "short-text"}
                maxLength={field.longest ?? undefined}
                value={String(value)}
                onChange={(event) => set(event.target.value)}
              />
            ) : (
              <InputNumber
                size="small"
                aria-label={field.label}
                min={field.type === "integer" ? 0 : 0.000001}
                precision={field.type === "integer" ? 0 : undefined}
                value={Number(value)}
                onChange={set}
              />
            )}
          </div>
        );
      })}
    </div>
  );
}

const SAMPLE = "moorland sample";

/** Real values beside what the mask shows of them. */
function Sample({ editing, sentence }: { editing: Editing; sentence: Mask }) {
  const model = editing.model.document.name;
  const [table, name] = splitName(sentence.column);
  const mask = { column: sentence.column, with: sentence.with, in_totals: "no" as const };
  const sample = useQuery(
    queries.rows({
      viewers: [{ imagine: { only_roles: [SAMPLE] } }],
      edited: [{ name: SAMPLE, kind: "grant", model, sentences: [{ mask }] }],
      rows: { model, table, columns: [`${table}.${name}`], limit: 60, where: null, order: [] },
    }),
  );
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
