import { Input, Select } from "antd";
import { useState } from "react";
import type { ModelAnswer, Problem, Role, Sentence } from "../../api/client";
import type { Attribute } from "../../ui/conditions/ClausePicker";
import { useCheck } from "../../ui/conditions/useCheck";
import { MenuButton } from "../../ui/MenuButton";
import { PagesEditor } from "../../ui/sentences/PagesEditor";
import { decidedTable, type Editing, type EffectAnswer, kindOf } from "../../ui/sentences/sentence";
import { ObjectsWords, PagesWords, RowsWords } from "../../ui/sentences/Words";
import { BeneathEditor } from "./BeneathEditor";
import { ChangeEditor } from "./ChangeEditor";
import { EntitlementEditor } from "./EntitlementEditor";
import { MaskEditor } from "./MaskEditor";
import { MembersEditor } from "./MembersEditor";
import { ObjectsEditor } from "./ObjectsEditor";
import { OtherWords } from "./OtherWords";
import { RowsEditor } from "./RowsEditor";
import { SentenceHelp } from "./SentenceHelp";

type Props = {
  role: Role;
  sentence: Sentence;
  place: number;
  model: ModelAnswer | undefined;
  open: boolean;
  onOpen: (open: boolean) => void;
  onChange: (sentence: Sentence) => void;
  onRemove: () => void;
  onCopy: () => void;
  onMove: ((by: -1 | 1) => void) | null;
  problem: Problem | undefined;
  /** Why the sentence takes nothing away, if it does not. */
  redundant: string | null;
  attributes: Attribute[];
  viewerValues: (name: string) => string | null;
  effect: EffectAnswer | undefined;
  changeRole?: (sentences: Sentence[]) => void;
};

/** One sentence of a role: in words; opened, edited in place. */
export function SentenceCard(props: Props) {
  const { role, sentence, place, model, open, onOpen, onChange, onRemove, onCopy, problem, effect } = props;
  const [reasoning, setReasoning] = useState(false);
  const rows = sentence.rows;
  const check = useCheck(model?.document.name ?? null, rows?.table ?? null, rows?.where ?? "", "rows");
  const kind = kindOf(sentence);
  const table = decidedTable(sentence, model);
  const about = kind === "pages" || model !== undefined;
  return (
    <div className={`sentence ${open ? "open" : ""} ${sentence.off ? "switched-off" : ""}`} data-testid={`sentence-${place}`}>
      <div className="row from-top">
        <button type="button" className="plain grow words" aria-expanded={open} disabled={!about} onClick={() => onOpen(!open)}>
          {sentence.off && <span className="off-mark">switched off</span>}
          {rows && <RowsWords table={rows.table} where={rows.where} group={check.data?.valid ? (check.data.group ?? null) : null} />}
          {sentence.objects && <ObjectsWords sentence={sentence.objects} />}
          {sentence.pages && <PagesWords sentence={sentence.pages} limit={role.kind === "limit"} />}
          {!rows && !sentence.objects && !sentence.pages && <OtherWords sentence={sentence} />}
        </button>
        <SentenceHelp kind={kind} />
        <MenuButton
          className="menu-button"
          label="Sentence actions"
          menu={() => ({
            items: [
              { key: "edit", label: open ? "Close" : "Edit", disabled: !about, onClick: () => onOpen(!open) },
              { key: "copy", label: "Duplicate", onClick: onCopy },
              { key: "reason", label: sentence.reason ? "Change the reason" : "Give a reason", onClick: () => setReasoning(true) },
              {
                key: "off",
                label: sentence.off ? "Switch on" : "Switch off",
                onClick: () => onChange({ ...sentence, off: !sentence.off }),
              },
              ...(props.onMove
                ? [
                    { key: "up", label: "Move up", onClick: () => props.onMove?.(-1) },
                    { key: "down", label: "Move down", onClick: () => props.onMove?.(1) },
                  ]
                : []),
              { key: "remove", label: "Take out", danger: true, onClick: onRemove },
            ],
          })}
        />
      </div>
      {sentence.reason && !reasoning && <div className="to">Because: {sentence.reason}</div>}
      {reasoning && (
        <Input
          autoFocus
          size="small"
          aria-label="Reason for this sentence"
          placeholder="Why this sentence is there; Enter keeps it"
          defaultValue={sentence.reason ?? ""}
          onBlur={(event) => {
            onChange({ ...sentence, reason: event.target.value.trim() || null });
            setReasoning(false);
          }}
          onPressEnter={(event) => event.currentTarget.blur()}
        />
      )}
      {problem && (
        <p className="warn small" role={open ? undefined : "alert"}>
          {problem.message}
        </p>
      )}
      {!problem && props.redundant && !sentence.off && <p className="careful small">{props.redundant}</p>}
      {open && model && kind !== "pages" && <Editor {...props} model={model} />}
      {open && sentence.pages && (
        <PagesEditor
          sentence={sentence.pages}
          onChange={(next) => onChange({ ...sentence, pages: next })}
          attributes={props.attributes}
          limit={role.kind === "limit"}
        />
      )}
      {table && model && <Reach model={model} role={role} table={table} effect={effect} />}
    </div>
  );
}

function Editor({ role, sentence, place, model, onChange, attributes, viewerValues, effect, changeRole }: Props & { model: ModelAnswer }) {
  const editing: Editing = { role, place, model, attributes, viewerValues, effect, changeRole };
  const { rows, entitlement, members, objects, mask, beneath, change } = sentence;
  return (
    <>
      {rows && (
        <>
          <div className="row small around-6-0">
            rows of
            <Select
              size="small"
              showSearch
              aria-label="Table"
              value={rows.table}
              className="least-140"
              onChange={(table) => onChange({ ...sentence, rows: { table, where: "" } })}
              options={(model.document.tables ?? []).map((table) => ({ value: table.name, label: table.name }))}
            />
          </div>
          <RowsEditor
            editing={editing}
            table={rows.table}
            where={rows.where}
            onChange={(where) => onChange({ ...sentence, rows: { ...rows, where } })}
          />
        </>
      )}
      {entitlement && (
        <EntitlementEditor editing={editing} sentence={entitlement} onChange={(next) => onChange({ ...sentence, entitlement: next })} />
      )}
      {members && <MembersEditor editing={editing} sentence={members} onChange={(next) => onChange({ ...sentence, members: next })} />}
      {objects && <ObjectsEditor editing={editing} sentence={objects} onChange={(next) => onChange({ ...sentence, objects: next })} />}
      {mask && <MaskEditor editing={editing} sentence={mask} onChange={(next) => onChange({ ...sentence, mask: next })} />}
      {beneath && <BeneathEditor editing={editing} sentence={beneath} onChange={(next) => onChange({ ...sentence, beneath: next })} />}
      {change && <ChangeEditor editing={editing} sentence={change} onChange={(next) => onChange({ ...sentence, change: next })} />}
    </>
  );
}

/** The tables a restriction reaches, and the facts that no sentence of the role reaches. */
function Reach({ model, role, table, effect }: { model: ModelAnswer; role: Role; table: string; effect: EffectAnswer | undefined }) {
  const reached = model.reaches[table] ?? [];
  const covered = new Set(
    (role.sentences ?? []).flatMap((item) => {
      const decided = decidedTable(item, model);
      return decided ? [decided, ...(model.reaches[decided] ?? [])] : [];
    }),
  );
  const objects = effect?.objects;
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
