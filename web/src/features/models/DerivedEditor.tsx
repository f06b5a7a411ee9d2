import { Input, Modal } from "antd";
import { useState } from "react";
import type { Model, Schemas } from "../../api/client";
import { useVocabulary } from "../../state/directory";
import { ConditionEditor } from "../../ui/ConditionEditor";
import { shownValue } from "../../ui/figures";
import { Refused } from "./Refused";
import { expressionNames, useExpressionTry } from "./useExpressionTry";
import type { ModelEdits } from "./useModelEdits";
import { withTable } from "./withTable";

type Table = Schemas["Table"];
type Column = Schemas["Column"];

/** A column computed from others, with its type and first values as it is typed. */
export function DerivedEditor({
  model,
  table,
  column,
  edits,
  close,
}: {
  model: Model;
  table: Table;
  column: Column | null;
  edits: ModelEdits;
  close: () => void;
}) {
  const [name, setName] = useState(column?.name ?? "");
  const [expression, setExpression] = useState(column?.expression ?? "");
  const words = useVocabulary();
  const tried = useExpressionTry(model.name, table.name, column?.name ?? null, expression, "column");
  const found = expression.trim() === "" ? undefined : tried.data;
  const taken = column === null && (table.columns ?? []).some((item) => item.name === name.trim());
  const ready = name.trim() !== "" && !taken && !/[./]/.test(name) && found !== undefined && !found.problem && found.type;
  const save = async () => {
    if (!ready || !found?.type) return;
    const made: Column = {
      ...(column ?? { name: name.trim() }),
      name: name.trim(),
      type: found.type as Column["type"],
      expression: expression.trim(),
      mapping: null,
    };
    const saved = await edits.save(`${column ? "derived column" : "new derived column"} ${made.name}`, (document) =>
      withTable(document, table.name, (item) => ({
        ...item,
        columns: column
          ? (item.columns ?? []).map((other) => (other.name === column.name ? made : other))
          : [...(item.columns ?? []), made],
      })),
    );
    if (saved) close();
  };
  return (
    <Modal
      open
      width={680}
      title={column ? `Derived column ${column.name}` : `New derived column of ${table.name}`}
      onCancel={() => {
        edits.forget();
        close();
      }}
      okText="Save in the draft"
      okButtonProps={{ disabled: !ready, loading: edits.saving }}
      onOk={() => void save()}
    >
      <div className="row fields below-8">
        <label htmlFor="derived-name">Name</label>
        <Input
          id="derived-name"
          className="mono wide-220"
          value={name}
          disabled={column !== null}
          onChange={(event) => setName(event.target.value)}
        />
        {taken && <span className="warn">There is a column {name} already.</span>}
      </div>
      <ConditionEditor
        label="Expression"
        value={expression}
        onChange={setExpression}
        names={expressionNames(model, table.name, "column", words)}
        problem={found?.problem ?? null}
        hint="COALESCE(curtailed_kwh, 0)"
      />
      <p className="small soft">Over the table's own columns and those of its lookups; it never reads the viewer.</p>
      {found?.problem && (
        <p className="warn small">
          {found.problem.message} {found.problem.nearest && `Nearest: ${found.problem.nearest}.`}
        </p>
      )}
      {found && !found.problem && (
        <p className="small" data-testid="tried">
          Gives <b>{found.type}</b>: {found.samples.map((value) => shownValue(value) || "blank").join(" · ")}
          <br />
          <span className="soft">Reads {found.inputs.join(", ") || "nothing"}. A viewer sees it where these are visible.</span>
          {found.dependents.length > 0 && <span className="soft"> Builds on it: {found.dependents.join(", ")}.</span>}
        </p>
      )}
      <Refused edits={edits} />
    </Modal>
  );
}
