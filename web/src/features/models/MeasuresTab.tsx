import { Button, Input, Modal } from "antd";
import { useState } from "react";
import type { Model, Schemas } from "../../api/client";
import { asks, objectSubject } from "../../state/asking";
import { useVocabulary } from "../../state/directory";
import { ConditionEditor } from "../../ui/ConditionEditor";
import { DialogFooter } from "../../ui/DialogFooter";
import { withUnit } from "../../ui/figures";
import { Empty } from "../../ui/Notice";
import { Refused } from "./Refused";
import { expressionNames, useExpressionTry } from "./useExpressionTry";
import type { ModelEdits } from "./useModelEdits";

type Table = Schemas["Table"];
type Measure = Schemas["Measure"];

/** Measures of a table with their live value over all data. */
export function MeasuresTab({ model, table, edits, editable }: { model: Model; table: Table; edits: ModelEdits; editable: boolean }) {
  const [editing, setEditing] = useState<Measure | "new" | null>(null);
  const own = (model.measures ?? []).filter((item) => item.table === table.name);
  return (
    <div>
      {own.length === 0 && (
        <Empty title="No measure">A measure sums the rows a viewer sees: SUM(energy_kwh), COUNT(*), or one measure over another.</Empty>
      )}
      {own.map((measure) => (
        <div key={measure.name} className="measure">
          <div className="row wrap">
            <b {...asks(objectSubject(model.name, "measure", measure.name, measure.label ?? measure.name), "who", true)}>
              {measure.label ?? measure.name}
            </b>{" "}
            <code className="soft">{measure.name}</code>
            <span className="grow" />
            <LiveValue model={model.name} measure={measure} />
            {editable && (
              <button type="button" className="textlink" onClick={() => setEditing(measure)}>
                edit
              </button>
            )}
          </div>
          <code className="small">{measure.expression}</code>
          {(measure.tags ?? []).length > 0 && <span className="small soft"> · {(measure.tags ?? []).join(", ")}</span>}
        </div>
      ))}
      {editable && (
        <Button size="small" className="above-8" onClick={() => setEditing("new")}>
          + measure
        </Button>
      )}
      {editing !== null && (
        <MeasureEditor
          key={editing === "new" ? "new" : editing.name}
          model={model}
          table={table}
          measure={editing === "new" ? null : editing}
          edits={edits}
          close={() => setEditing(null)}
        />
      )}
    </div>
  );
}

function LiveValue({ model, measure }: { model: string; measure: Measure }) {
  const tried = useExpressionTry(model, measure.table, measure.name, measure.expression, "measure");
  return <span className="tabular">{tried.data ? withUnit(tried.data.value, measure.format) || "no value" : "…"}</span>;
}

function MeasureEditor({
  model,
  table,
  measure,
  edits,
  close,
}: {
  model: Model;
  table: Table;
  measure: Measure | null;
  edits: ModelEdits;
  close: () => void;
}) {
  const [name, setName] = useState(measure?.name ?? "");
  const [label, setLabel] = useState(measure?.label ?? "");
  const [format, setFormat] = useState(measure?.format ?? "");
  const [tags, setTags] = useState((measure?.tags ?? []).join(", "));
  const [folder, setFolder] = useState(measure?.folder ?? "");
  const [expression, setExpression] = useState(measure?.expression ?? "");
  const words = useVocabulary();
  const tried = useExpressionTry(model.name, table.name, measure?.name ?? null, expression, "measure");
  const found = expression.trim() === "" ? undefined : tried.data;
  const taken = measure === null && (model.measures ?? []).some((item) => item.name === name.trim());
  const ready = name.trim() !== "" && !taken && !/[./]/.test(name) && found !== undefined && !found.problem;
  const save = async () => {
    if (!ready) return;
    const made: Measure = {
      ...(measure ?? {}),
      name: name.trim(),
      table: table.name,
      label: label.trim() || null,
      expression: expression.trim(),
      format: format.trim() || null,
      folder: folder.trim() || null,
      tags: tags
        .split(",")
        .map((tag) => tag.trim())
        .filter(Boolean),
    };
    const saved = await edits.save(`measure ${made.name}`, (document) => ({
      ...document,
      measures: measure
        ? (document.measures ?? []).map((item) => (item.name === measure.name ? made : item))
        : [...(document.measures ?? []), made],
    }));
    if (saved) close();
  };
  const remove = async (gone: Measure) => {
    const saved = await edits.save(`measure ${gone.name} deleted`, (document) => ({
      ...document,
      measures: (document.measures ?? []).filter((item) => item.name !== gone.name),
    }));
    if (saved) close();
  };
  return (
    <Modal
      open
      width={720}
      title={measure ? `Measure ${measure.label ?? measure.name}` : `New measure of ${table.name}`}
      onCancel={() => {
        edits.forget();
        close();
      }}
      footer={(_, parts) => <DialogFooter remove={measure && (() => void remove(measure))} parts={parts} />}
      okText="Save in the draft"
      okButtonProps={{ disabled: !ready, loading: edits.saving }}
      onOk={() => void save()}
    >
      <div className="row wrap fields below-8">
        <label htmlFor="measure-name">Name</label>
        <Input
          id="measure-name"
          className="mono wide-160"
          value={name}
          disabled={measure !== null}
          onChange={(event) => setName(event.target.value)}
        />
        <label htmlFor="measure-label">Label</label>
        <Input id="measure-label" className="wide-160" value={label} onChange={(event) => setLabel(event.target.value)} />
        <label htmlFor="measure-unit">Unit</label>
        <Input
          id="measure-unit"
          className="wide-80"
          value={format}
          placeholder="kWh, %"
          onChange={(event) => setFormat(event.target.value)}
        />
        <label htmlFor="measure-tags">Tags</label>
        <Input id="measure-tags" className="wide-120" value={tags} onChange={(event) => setTags(event.target.value)} />
        <label htmlFor="measure-folder">Folder</label>
        <Input id="measure-folder" className="wide-120" value={folder} onChange={(event) => setFolder(event.target.value)} />
      </div>
      {taken && <p className="warn">There is a measure {name} already.</p>}
      <ConditionEditor
        label="Expression"
        value={expression}
        onChange={setExpression}
        names={expressionNames(model, table.name, "measure", words)}
        problem={found?.problem ?? null}
        hint="SUM(energy_kwh)"
      />
      {found?.problem && (
        <p className="warn small">
          {found.problem.message} {found.problem.nearest && `Nearest: ${found.problem.nearest}.`}
        </p>
      )}
      {found && !found.problem && (
        <div className="small above-6" data-testid="tried">
          <p>
            Over all data now: <b>{withUnit(found.value, format || null) || "no value"}</b>
            {tried.isFetching && <span className="soft"> …</span>}
          </p>
          <p className="soft">
            Reads {found.inputs.join(", ") || "no column"}: where one of these is hidden from a viewer, the measure is too.
          </p>
          {found.dependents.length > 0 && <p className="soft">Builds on it: {found.dependents.join(", ")}.</p>}
        </div>
      )}
      <Refused edits={edits} />
    </Modal>
  );
}
