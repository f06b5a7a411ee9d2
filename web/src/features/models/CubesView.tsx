import { Button, Input, Modal, Select } from "antd";
import { useState } from "react";
import type { Model, Schemas } from "../../api/client";
import { DialogFooter } from "../../ui/DialogFooter";
import { splitName } from "../../ui/fullNames";
import { Empty } from "../../ui/Notice";
import { CubeBrowser } from "./CubeBrowser";
import { Refused } from "./Refused";
import type { ModelEdits } from "./useModelEdits";

type Cube = Schemas["Cube"];

/** The cubes of a model: a narrower way to ask, with the same security. */
export default function CubesView({
  model,
  edits,
  chosen,
  choose,
  editable,
}: {
  model: Model;
  edits: ModelEdits;
  chosen: string | null;
  choose: (name: string) => void;
  editable: boolean;
}) {
  const cubes = model.cubes ?? [];
  const [editing, setEditing] = useState<Cube | "new" | null>(null);
  const cube = cubes.find((item) => item.name === chosen) ?? cubes[0];
  return (
    <div className="cubes">
      <nav aria-label="Cubes">
        {cubes.map((item) => (
          <button
            type="button"
            key={item.name}
            className={`tree-line ${item === cube ? "on" : ""}`}
            aria-pressed={item === cube}
            onClick={() => choose(item.name)}
          >
            <span className="cut">{item.label ?? item.name}</span>
          </button>
        ))}
        {editable && (
          <Button size="small" className="above-8" onClick={() => setEditing("new")}>
            + cube
          </Button>
        )}
      </nav>
      <div className="cube-body">
        {cube ? (
          <>
            <div className="row wrap">
              <h2>{cube.label ?? cube.name}</h2>
              <span className="soft small">
                facts {cube.facts.join(", ")} · {(cube.dimensions ?? []).map((item) => item.table).join(", ")} ·{" "}
                {(cube.measures ?? []).join(", ")}
              </span>
              <span className="grow" />
              {editable && (
                <Button size="small" onClick={() => setEditing(cube)}>
                  Edit the cube
                </Button>
              )}
            </div>
            <CubeBrowser key={`${model.name}.${cube.name}`} model={model} cube={cube} />
          </>
        ) : (
          <Empty title="No cube in this model">
            A cube names facts, dimensions with their hierarchies, and measures: a narrower way to ask, secured by the same roles. Add
            hierarchies to tables on the map first.
          </Empty>
        )}
      </div>
      {editing !== null && (
        <CubeEditor model={model} cube={editing === "new" ? null : editing} edits={edits} close={() => setEditing(null)} />
      )}
    </div>
  );
}

function CubeEditor({ model, cube, edits, close }: { model: Model; cube: Cube | null; edits: ModelEdits; close: () => void }) {
  const [draft, setDraft] = useState<Cube>(cube ?? { name: "", facts: [], dimensions: [], measures: [] });
  const tables = model.tables ?? [];
  const reached = new Set<string>();
  const waiting = [...draft.facts];
  for (let name = waiting.pop(); name !== undefined; name = waiting.pop()) {
    for (const item of model.relationships ?? []) {
      const [one] = splitName(item.to);
      if (item.from.startsWith(`${name}.`) && !reached.has(one)) {
        reached.add(one);
        waiting.push(one);
      }
    }
  }
  const taken = cube === null && (model.cubes ?? []).some((item) => item.name === draft.name.trim());
  const ready =
    draft.name.trim() !== "" && !taken && !/[./]/.test(draft.name) && draft.facts.length > 0 && (draft.measures ?? []).length > 0;
  const save = async () => {
    const made = { ...draft, name: draft.name.trim(), label: draft.label?.trim() || null };
    const saved = await edits.save(`cube ${made.name}`, (document) => ({
      ...document,
      cubes: cube ? (document.cubes ?? []).map((item) => (item.name === cube.name ? made : item)) : [...(document.cubes ?? []), made],
    }));
    if (saved) close();
  };
  const dimensions = draft.dimensions ?? [];
  const remove = async (gone: Cube) => {
    const saved = await edits.save(`cube ${gone.name} deleted`, (document) => ({
      ...document,
      cubes: (document.cubes ?? []).filter((item) => item.name !== gone.name),
    }));
    if (saved) close();
  };
  return (
    <Modal
      open
      width={640}
      title={cube ? `Cube ${cube.label ?? cube.name}` : "New cube"}
      onCancel={() => {
        edits.forget();
        close();
      }}
      okText="Save in the draft"
      okButtonProps={{ disabled: !ready, loading: edits.saving }}
      onOk={() => void save()}
      footer={(_, parts) => <DialogFooter remove={cube && (() => void remove(cube))} parts={parts} />}
    >
      <div className="settings">
        <label htmlFor="cube-name">Name</label>
        <Input
          id="cube-name"
          className="mono"
          disabled={cube !== null}
          value={draft.name}
          onChange={(event) => setDraft({ ...draft, name: event.target.value })}
        />
        <label htmlFor="cube-label">Label</label>
        <Input id="cube-label" value={draft.label ?? ""} onChange={(event) => setDraft({ ...draft, label: event.target.value })} />
        <label htmlFor="cube-facts">Facts</label>
        <Select
          id="cube-facts"
          aria-label="Facts"
          mode="multiple"
          optionFilterProp="label"
          value={draft.facts}
          onChange={(facts) => setDraft({ ...draft, facts })}
          options={tables.map((table) => ({ value: table.name, label: table.name }))}
        />
        <label htmlFor="cube-dimensions">Dimensions</label>
        <Select
          id="cube-dimensions"
          aria-label="Dimensions"
          mode="multiple"
          optionFilterProp="label"
          value={dimensions.map((item) => item.table)}
          placeholder={draft.facts.length === 0 ? "choose facts first" : "tables the facts look up"}
          onChange={(names) =>
            setDraft({
              ...draft,
              dimensions: names.map(
                (table) =>
                  dimensions.find((item) => item.table === table) ?? {
                    table,
                    hierarchies: (model.hierarchies ?? []).filter((item) => item.table === table).map((item) => item.name),
                  },
              ),
            })
          }
          options={[...new Set([...draft.facts, ...reached])].map((name) => ({ value: name, label: name }))}
        />
        {dimensions.map((dimension) => (
          <DimensionLine
            key={dimension.table}
            dimension={dimension}
            hierarchies={(model.hierarchies ?? []).filter((item) => item.table === dimension.table).map((item) => item.name)}
            change={(hierarchies) =>
              setDraft({
                ...draft,
                dimensions: dimensions.map((item) => (item.table === dimension.table ? { ...item, hierarchies } : item)),
              })
            }
          />
        ))}
        <label htmlFor="cube-measures">Measures</label>
        <Select
          id="cube-measures"
          aria-label="Measures"
          mode="multiple"
          optionFilterProp="label"
          value={draft.measures ?? []}
          onChange={(measures) => setDraft({ ...draft, measures })}
          options={(model.measures ?? [])
            .filter((item) => draft.facts.includes(item.table))
            .map((item) => ({ value: item.name, label: item.label ?? item.name }))}
        />
      </div>
      {taken && <p className="warn">There is a cube {draft.name} already.</p>}
      <Refused edits={edits} />
    </Modal>
  );
}

function DimensionLine({
  dimension,
  hierarchies,
  change,
}: {
  dimension: Schemas["Dimension"];
  hierarchies: string[];
  change: (next: string[]) => void;
}) {
  return (
    <>
      <span className="soft inset-12">{dimension.table} by</span>
      <Select
        aria-label={`Hierarchies of ${dimension.table}`}
        mode="multiple"
        optionFilterProp="label"
        value={dimension.hierarchies ?? []}
        placeholder={hierarchies.length ? "hierarchies" : "it has no hierarchy: its key is used"}
        onChange={change}
        options={hierarchies.map((name) => ({ value: name, label: name }))}
      />
    </>
  );
}
