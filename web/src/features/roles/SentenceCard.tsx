import { Button, Dropdown, Select } from "antd";
import type { ModelAnswer, Problem, Role, Schemas, Sentence } from "../../api/client";
import { ObjectsEditor } from "./ObjectsEditor";
import { OtherWords } from "./OtherWords";
import { PagesEditor } from "./PagesEditor";
import { type Attribute, RowsEditor, useCheck } from "./RowsEditor";
import { ObjectsWords, PagesWords, RowsWords } from "./Words";

type Props = {
  role: Role;
  sentence: Sentence;
  place: number;
  model: ModelAnswer | undefined;
  open: boolean;
  onOpen: (open: boolean) => void;
  onChange: (sentence: Sentence) => void;
  onRemove: () => void;
  problem: Problem | undefined;
  attributes: Attribute[];
  viewerValues: (name: string) => string | null;
  objects: Schemas["ObjectsAnswer"] | null;
};

function Reach({
  model,
  role,
  table,
  objects,
}: {
  model: ModelAnswer;
  role: Role;
  table: string;
  objects: Schemas["ObjectsAnswer"] | null;
}) {
  const reached = model.reaches[table] ?? [];
  const covered = new Set(
    (role.sentences ?? []).flatMap((item) => (item.rows ? [item.rows.table, ...(model.reaches[item.rows.table] ?? [])] : [])),
  );
  const facts = [...new Set((model.document.measures ?? []).map((measure) => measure.table))].filter(
    (name) => !covered.has(name) && (!objects || objects.tables[name] !== undefined),
  );
  return (
    <div className="to">
      {reached.length > 0 ? `reaches ${reached.join(", ")}` : "reaches no other table"}
      {facts.length > 0 && <span className="warn"> · does not reach: {facts.join(", ")}</span>}
    </div>
  );
}

/** One sentence of a role: in words; opened, edited in place. */
export function SentenceCard({
  role,
  sentence,
  place,
  model,
  open,
  onOpen,
  onChange,
  onRemove,
  problem,
  attributes,
  viewerValues,
  objects,
}: Props) {
  const rows = sentence.rows;
  const check = useCheck(model?.document.name ?? null, rows?.table ?? null, rows?.where ?? "", "rows");
  const editable = Boolean(rows || sentence.objects || sentence.pages);
  return (
    <div className={`sentence ${open ? "open" : ""}`} data-testid={`sentence-${place}`}>
      <div className="row" style={{ alignItems: "flex-start" }}>
        <button type="button" className="plain grow words" aria-expanded={open} disabled={!editable} onClick={() => onOpen(!open)}>
          {rows && <RowsWords table={rows.table} where={rows.where} clauses={check.data?.valid ? check.data.clauses : null} />}
          {sentence.objects && <ObjectsWords sentence={sentence.objects} />}
          {sentence.pages && <PagesWords sentence={sentence.pages} limit={role.kind === "limit"} />}
          {!editable && <OtherWords sentence={sentence} />}
        </button>
        {problem && !open && <span className="warn small">{problem.message}</span>}
        <Dropdown
          trigger={["click"]}
          menu={{
            items: [
              ...(editable ? [{ key: "edit", label: open ? "Close" : "Edit", onClick: () => onOpen(!open) }] : []),
              { key: "remove", label: "Take out", danger: true, onClick: onRemove },
            ],
          }}
        >
          <Button size="small" type="text" aria-label="Sentence actions">
            ⋯
          </Button>
        </Dropdown>
      </div>
      {open && rows && model && (
        <>
          <div className="row small" style={{ margin: "6px 0" }}>
            rows of
            <Select
              size="small"
              aria-label="Table"
              value={rows.table}
              style={{ minWidth: 140 }}
              onChange={(table) => onChange({ ...sentence, rows: { table, where: "" } })}
              options={(model.document.tables ?? []).map((table) => ({ value: table.name, label: table.name }))}
            />
          </div>
          <RowsEditor
            key={rows.table}
            model={model}
            table={rows.table}
            where={rows.where}
            onChange={(where) => onChange({ ...sentence, rows: { ...rows, where } })}
            attributes={attributes}
            viewerValues={viewerValues}
          />
        </>
      )}
      {rows && model && <Reach model={model} role={role} table={rows.table} objects={objects} />}
      {open && sentence.objects && model && (
        <ObjectsEditor
          model={model}
          sentence={sentence.objects}
          onChange={(next) => onChange({ ...sentence, objects: next })}
          result={objects}
        />
      )}
      {open && sentence.pages && (
        <PagesEditor
          sentence={sentence.pages}
          onChange={(next) => onChange({ ...sentence, pages: next })}
          attributes={attributes}
          limit={role.kind === "limit"}
        />
      )}
    </div>
  );
}
