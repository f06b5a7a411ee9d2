import { useQuery } from "@tanstack/react-query";
import { Button, Input, Radio, Select } from "antd";
import { useState } from "react";
import type { Model, Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { focusedViewer, useWorkbench } from "../../state/workbench";
import { count } from "../../ui/figures";
import { Empty } from "../../ui/Notice";
import { Scroll } from "../../ui/Scroll";
import type { ModelEdits } from "./useModelEdits";

type Table = Schemas["Table"];
type Hierarchy = Schemas["Hierarchy"];

/** Hierarchies of a table, by levels or by parents, with their members as the focused viewer sees them. */
export function HierarchiesTab({ model, table, edits, editable }: { model: Model; table: Table; edits: ModelEdits; editable: boolean }) {
  const own = (model.hierarchies ?? []).filter((item) => item.table === table.name);
  const [open, setOpen] = useState<string | null>(own[0]?.name ?? null);
  const [adding, setAdding] = useState(false);
  const [editing, setEditing] = useState<string | null>(null);
  const columns = (table.alias_of ? (model.tables ?? []).find((item) => item.name === table.alias_of) : table)?.columns ?? [];
  return (
    <div>
      {own.length === 0 && !adding && (
        <Empty title="No hierarchy">
          A hierarchy orders columns from coarse to fine (area, district, site), or gives each key a parent (a technician's lead). Cubes are
          drilled along it, and roles can list its members.
        </Empty>
      )}
      {own.map((item) => (
        <div key={item.name} className="hierarchy">
          <div className="row wrap">
            <button
              type="button"
              className="plain"
              aria-expanded={open === item.name}
              onClick={() => setOpen(open === item.name ? null : item.name)}
            >
              {open === item.name ? "▾" : "▸"} <b>{item.label ?? item.name}</b>
            </button>
            <span className="soft">{item.levels ? item.levels.join(" › ") : `${item.key} under ${item.parent}`}</span>
            <span className="grow" />
            {editable && (
              <button type="button" className="textlink" onClick={() => setEditing(editing === item.name ? null : item.name)}>
                edit
              </button>
            )}
            {editable && (
              <button
                type="button"
                className="textlink warn"
                onClick={() =>
                  void edits.save(`hierarchy ${item.name} deleted`, (document) => ({
                    ...document,
                    hierarchies: (document.hierarchies ?? []).filter((other) => other.name !== item.name),
                  }))
                }
              >
                delete
              </button>
            )}
          </div>
          {editing === item.name && (
            <HierarchyForm
              table={table.name}
              columns={columns.map((column) => column.name)}
              tableKey={table.key ?? null}
              taken={(model.hierarchies ?? []).map((other) => other.name).filter((name) => name !== item.name)}
              start={item}
              close={() => setEditing(null)}
              add={async (made) => {
                const saved = await edits.save(`hierarchy ${made.label ?? made.name}`, (document) => ({
                  ...document,
                  hierarchies: (document.hierarchies ?? []).map((other) => (other.name === item.name ? made : other)),
                }));
                if (saved) setEditing(null);
              }}
            />
          )}
          {open === item.name && <Members model={model.name} hierarchy={item.name} />}
        </div>
      ))}
      {editable &&
        (adding ? (
          <HierarchyForm
            table={table.name}
            columns={columns.map((column) => column.name)}
            tableKey={table.key ?? null}
            taken={(model.hierarchies ?? []).map((item) => item.name)}
            close={() => setAdding(false)}
            add={async (made) => {
              if (
                await edits.save(`hierarchy ${made.name}`, (document) => ({
                  ...document,
                  hierarchies: [...(document.hierarchies ?? []), made],
                }))
              )
                setAdding(false);
            }}
          />
        ) : (
          <Button size="small" className="above-8" onClick={() => setAdding(true)}>
            + hierarchy
          </Button>
        ))}
    </div>
  );
}

function Members({ model, hierarchy }: { model: string; hierarchy: string }) {
  const bench = useWorkbench();
  const viewer = focusedViewer(bench);
  const asked = useQuery(
    queries.evaluated({ state: bench.state, as_of: bench.day, viewers: [viewer], ask: [{ members: { model, hierarchy } }] }),
  );
  const found = asked.data?.viewers[0]?.answers[0];
  if (!found) return <p className="soft small">Counting…</p>;
  if (!("members" in found)) return <p className="small hid pad">Absent for this viewer.</p>;
  return (
    <Scroll label={`Members of ${hierarchy}`} className="scroll low-260">
      <table className="data members">
        <tbody>
          {found.members.slice(0, 400).map((member) => (
            <tr key={JSON.stringify(member.path)}>
              <td style={{ paddingLeft: 8 + (member.path.length - 1) * 16 }}>{String(member.path.at(-1) ?? "blank")}</td>
              <td className="number">{count(member.rows)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {found.members.length > 400 && <p className="soft small">and {count(found.members.length - 400)} more members</p>}
      {found.members.length === 0 && <p className="soft small">No member is visible.</p>}
    </Scroll>
  );
}

/** A new hierarchy, or one that is changed; a name that roles and cubes refer to stays, what people call it changes. */
function HierarchyForm({
  table,
  columns,
  tableKey,
  taken,
  start,
  close,
  add,
}: {
  table: string;
  columns: string[];
  tableKey: string | null;
  taken: string[];
  start?: Hierarchy;
  close: () => void;
  add: (made: Hierarchy) => void;
}) {
  const [name, setName] = useState(start?.name ?? "");
  const [label, setLabel] = useState(start?.label ?? "");
  const [kind, setKind] = useState<"levels" | "parent">(start && !start.levels ? "parent" : "levels");
  const [levels, setLevels] = useState<string[]>(start?.levels ?? []);
  const [parent, setParent] = useState<string | null>(start?.parent ?? null);
  const fault = taken.includes(name.trim()) ? `There is a hierarchy ${name} already.` : null;
  const ready =
    name.trim() !== "" && !fault && !/[./]/.test(name) && (kind === "levels" ? levels.length > 0 : parent !== null && tableKey !== null);
  return (
    <div className="adding">
      <div className="row wrap fields">
        <label htmlFor="hierarchy-name">Name</label>
        <Input
          id="hierarchy-name"
          className="mono wide-180"
          value={name}
          disabled={start !== undefined}
          title={start ? "roles and cubes refer to it by this name" : undefined}
          onChange={(event) => setName(event.target.value)}
        />
        <Input
          aria-label="What people call it"
          placeholder="what people call it"
          className="wide-180"
          value={label}
          onChange={(event) => setLabel(event.target.value)}
        />
        <Radio.Group
          value={kind}
          onChange={(event) => setKind(event.target.value)}
          options={[
            { value: "levels", label: "by levels" },
            { value: "parent", label: "by a parent column", disabled: tableKey === null },
          ]}
        />
      </div>
      <div className="row wrap fields above-6">
        {kind === "levels" ? (
          <>
            <span className="soft">coarse to fine</span>
            <Select
              mode="multiple"
              optionFilterProp="label"
              aria-label="Levels, coarse to fine"
              className="least-300"
              value={levels}
              onChange={setLevels}
              placeholder="area, district, site"
              options={columns.map((column) => ({ value: column, label: column }))}
            />
          </>
        ) : (
          <>
            <span className="soft">
              each <code>{tableKey}</code> lies under
            </span>
            <Select
              aria-label="Parent column"
              className="least-180"
              value={parent}
              onChange={setParent}
              options={columns.filter((column) => column !== tableKey).map((column) => ({ value: column, label: column }))}
            />
          </>
        )}
        <Button
          type="primary"
          size="small"
          disabled={!ready}
          onClick={() =>
            add({
              ...(start ?? {}),
              name: name.trim(),
              table,
              label: label.trim() || null,
              ...(kind === "levels" ? { levels, key: null, parent: null } : { levels: null, key: tableKey, parent }),
            })
          }
        >
          Save in the draft
        </Button>
        <Button size="small" onClick={close}>
          Leave it
        </Button>
      </div>
      {fault && <p className="warn small">{fault}</p>}
      {kind === "levels" && (
        <p className="soft small">
          Is a coarser level missing? Give members parents: on the tab Columns, “+ group values” makes a column that groups the values of
          another, and it can stand above it here.
        </p>
      )}
    </div>
  );
}
