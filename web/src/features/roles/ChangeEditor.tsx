import { Radio, Select } from "antd";
import { useState } from "react";
import { useWorkbench } from "../../state/workbench";
import type { Editing, Part } from "../../ui/sentences/sentence";
import { RowsEditor } from "./RowsEditor";
import { TryChange } from "./TryChange";

type Props = { editing: Editing; sentence: Part<"change">; onChange: (sentence: Part<"change">) => void };
const ACTS = ["insert", "update", "delete"] as const;
const MEANS = {
  insert: "for the new row",
  update: "for the row before and after",
  delete: "for the row that goes",
};

/** Who may change which rows: a condition for each act, and a change tried against it. */
export function ChangeEditor({ editing, sentence, onChange }: Props) {
  const bench = useWorkbench();
  // The acts whose condition is being written, empty for a while or not.
  const [conditioned, setConditioned] = useState<string[]>([]);
  const tables = (editing.model.document.tables ?? []).filter((table) => !table.alias_of);
  return (
    <div className="form">
      <div className="field">
        Rows of
        <Select
          showSearch
          optionFilterProp="label"
          aria-label="Table"
          value={sentence.table}
          className="least-160"
          onChange={(table) => onChange({ table })}
          options={tables.map((table) => ({ value: table.name, label: table.name }))}
        />
      </div>
      {ACTS.map((act) => {
        const where = sentence[act] ?? null;
        const always = where?.trim().toUpperCase() === "TRUE";
        const how = conditioned.includes(act) ? "where" : where === null ? "no" : always ? "all" : "where";
        return (
          <div key={act}>
            <div className="row wrap">
              <b className="wide-56">{act}</b>
              <Radio.Group
                size="small"
                aria-label={act}
                value={how}
                onChange={(event) => {
                  setConditioned(event.target.value === "where" ? [...conditioned, act] : conditioned.filter((item) => item !== act));
                  onChange({
                    ...sentence,
                    [act]: event.target.value === "no" ? null : event.target.value === "all" ? "TRUE" : firstClause(sentence.table, tables),
                  });
                }}
              >
                <Radio.Button value="no">not allowed</Radio.Button>
                <Radio.Button value="all">every visible row</Radio.Button>
                <Radio.Button value="where">where…</Radio.Button>
              </Radio.Group>
              {how === "where" && <span className="soft small">{MEANS[act]}</span>}
            </div>
            {how === "where" && (
              <RowsEditor
                editing={editing}
                table={sentence.table}
                where={where ?? ""}
                onChange={(text) => onChange({ ...sentence, [act]: text.trim() === "" ? null : text })}
                label={`Condition for ${act}`}
                empty="say for which rows; until then it is not allowed"
              />
            )}
          </div>
        );
      })}
      <p className="soft small">
        A row has to be visible under this role, before and after, and the columns set and read have to be clear in it. Trying a change
        makes nothing.
      </p>
      <TryChange key={sentence.table} editing={editing} table={sentence.table} pin={bench.pins[bench.focus - 1] ?? bench.pins[0]} />
    </div>
  );
}

/** A first clause to edit: some column is not blank. */
function firstClause(table: string, tables: { name: string; key?: string | null; columns?: { name: string }[] }[]): string {
  const shape = tables.find((item) => item.name === table);
  const column = shape?.columns?.find((item) => item.name !== shape.key)?.name ?? shape?.key ?? "";
  return /^[A-Za-z_]\w*$/.test(column) ? `${column} IS NOT NULL` : `"${column.replaceAll('"', '""')}" IS NOT NULL`;
}
