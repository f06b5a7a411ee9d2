import { Checkbox, InputNumber, Select } from "antd";
import type { Editing, Part } from "../../ui/sentences/sentence";

type Props = { editing: Editing; sentence: Part<"beneath">; onChange: (sentence: Part<"beneath">) => void };

/** Whether rows may be listed beneath a number, how many, and exported. */
export function BeneathEditor({ editing, sentence, onChange }: Props) {
  const grant = editing.role.kind === "grant";
  const listed = sentence.rows !== false;
  return (
    <div className="form">
      <div className="field">
        Rows of
        <Select
          mode="multiple"
          aria-label="Rows of"
          placeholder="Tables"
          className="fill least-200"
          value={sentence.tables}
          onChange={(tables) => onChange({ ...sentence, tables })}
          options={(editing.model.document.tables ?? []).map((table) => ({ value: table.name, label: table.name }))}
        />
      </div>
      <Checkbox checked={listed} onChange={(event) => onChange({ ...sentence, rows: event.target.checked })}>
        may be listed beneath numbers, in previews and in list exhibits
      </Checkbox>
      {listed && (
        <>
          <div className="field">
            At most
            <InputNumber
              aria-label="At most rows"
              min={0}
              placeholder={grant ? "1,000" : "no bound"}
              value={sentence.limit ?? null}
              onChange={(limit) => onChange({ ...sentence, limit })}
            />
            rows in one answer
          </div>
          <div className="field">
            Only where no more than
            <InputNumber
              aria-label="Only where no more rows match"
              min={0}
              placeholder="any number"
              value={sentence.only_under ?? null}
              onChange={(only_under) => onChange({ ...sentence, only_under })}
            />
            rows match
          </div>
          <Checkbox checked={sentence.export ?? false} onChange={(event) => onChange({ ...sentence, export: event.target.checked })}>
            may be exported
          </Checkbox>
        </>
      )}
      <p className="soft small">
        {grant
          ? "Without such a sentence a grant lists up to 1,000 rows of every table and exports none."
          : "A limit narrows rows beneath only where it says so."}{" "}
        It is a convenience, not a protection: totals by enough columns list rows too. To keep rows from somebody, write a rows sentence.
      </p>
    </div>
  );
}
