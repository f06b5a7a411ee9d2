import { AutoComplete, Button, Checkbox, Input, Popover, Select } from "antd";
import { useState } from "react";
import { NavLink } from "react-router-dom";
import type { Model, ModelShare, Schemas } from "../../api/client";
import { marked, objectSubject } from "../../state/asking";
import { count, plural } from "../../ui/figures";
import { Scroll } from "../../ui/Scroll";
import { ColumnValues } from "./ColumnValues";
import { DerivedEditor } from "./DerivedEditor";
import { HideInRole } from "./HideInRole";
import { MappingEditor } from "./MappingEditor";
import { ShownAs } from "./ShownAs";
import type { ModelEdits } from "./useModelEdits";
import { withTable } from "./withTable";

type Table = Schemas["Table"];
type Column = Schemas["Column"];
type Profile = Schemas["TableProfile"];

const withColumns = (model: Model, table: string, names: string[], change: (column: Column) => Column): Model =>
  withTable(model, table, (item) => ({
    ...item,
    columns: (item.columns ?? []).map((column) => (names.includes(column.name) ? change(column) : column)),
  }));

/** A distribution of a few bars, told in words on each. */
export function Distribution({ profile }: { profile: Schemas["ColumnProfile"] }) {
  const most = Math.max(1, ...profile.bars.map((bar) => bar.rows));
  const told = profile.bars.map((bar) => `${bar.label}: ${count(bar.rows)}`).join("\n");
  if (profile.bars.length === 0) return <span className="soft small">all blank</span>;
  return (
    <span
      className={`spark ${profile.ranged ? "" : "frequent"}`}
      title={told + (profile.others > 0 ? `\nothers: ${count(profile.others)}` : "")}
    >
      {profile.bars.map((bar) => (
        <i key={bar.label} style={{ height: `${Math.max(6, (100 * bar.rows) / most)}%` }} />
      ))}
      <span className="visually-hidden">{told}</span>
    </span>
  );
}

/** Columns with what they hold, what builds on them, which sentences touch them; tags and quarantine in bulk. */
export function ColumnsTab({
  model,
  table,
  profile,
  share,
  edits,
  editable,
}: {
  model: Model;
  table: Table;
  profile: Profile;
  share: ModelShare | null;
  edits: ModelEdits;
  editable: boolean;
}) {
  const [selected, setSelected] = useState<string[]>([]);
  const [open, setOpen] = useState<string | null>(null);
  const [adding, setAdding] = useState<"derived" | "mapping" | null>(null);
  const [tag, setTag] = useState("");
  const [folder, setFolder] = useState("");
  const folders = [
    ...new Set(
      [...(model.tables ?? []), ...(model.measures ?? []), ...(model.tables ?? []).flatMap((item) => item.columns ?? [])].flatMap((item) =>
        item.folder ? [item.folder] : [],
      ),
    ),
  ].sort();
  const columns = table.columns ?? [];
  const absent = new Set(share?.tables.find((item) => item.table === table.name)?.absent_columns ?? []);
  const tableAbsent = share !== null && (share.tables.find((item) => item.table === table.name)?.visible ?? null) === null;
  const tags = [...new Set((model.tables ?? []).flatMap((item) => (item.columns ?? []).flatMap((column) => column.tags ?? [])))].sort();
  const bulk = async (what: string, change: (column: Column) => Column) => {
    if (await edits.save(what, (document) => withColumns(document, table.name, selected, change))) setSelected([]);
  };
  const addTag = () => {
    const name = tag.trim();
    if (name === "") return;
    void bulk(`tag ${name} on ${plural(selected.length, "column")}`, (column) => ({
      ...column,
      tags: [...new Set([...(column.tags ?? []), name])],
    }));
    setTag("");
  };
  const quarantined = columns.filter((column) => column.quarantine).map((column) => column.name);
  return (
    <>
      {editable && (
        <div className="row wrap bulk">
          {selected.length > 0 ? (
            <>
              <b>{plural(selected.length, "column")} chosen</b>
              <Popover
                trigger="click"
                content={
                  <div className="row">
                    <Select
                      aria-label="Tag"
                      showSearch
                      optionFilterProp="label"
                      placeholder="a tag"
                      className="wide-160"
                      value={tag || null}
                      onSearch={setTag}
                      searchValue={tag}
                      onChange={(value) => setTag(value)}
                      options={[...new Set([...(tag ? [tag] : []), "personal", ...tags])].map((name) => ({ value: name, label: name }))}
                    />
                    <Button type="primary" onClick={addTag}>
                      Add tag
                    </Button>
                  </div>
                }
              >
                <Button size="small">Tag…</Button>
              </Popover>
              {[...new Set(columns.filter((column) => selected.includes(column.name)).flatMap((column) => column.tags ?? []))].map(
                (name) => (
                  <Button
                    key={name}
                    size="small"
                    onClick={() =>
                      void bulk(`tag ${name} taken off`, (column) => ({
                        ...column,
                        tags: (column.tags ?? []).filter((item) => item !== name),
                      }))
                    }
                  >
                    − {name}
                  </Button>
                ),
              )}
              <Popover
                trigger="click"
                content={
                  <div className="row">
                    <AutoComplete
                      aria-label="Folder"
                      placeholder="a folder; empty takes out of it"
                      className="wide-200"
                      value={folder}
                      onChange={setFolder}
                      options={folders.map((name) => ({ value: name }))}
                    />
                    <Button
                      type="primary"
                      onClick={() =>
                        void bulk(folder.trim() ? `into the folder ${folder.trim()}` : "out of the folder", (column) => ({
                          ...column,
                          folder: folder.trim() || null,
                        }))
                      }
                    >
                      {folder.trim() ? "Put into it" : "Take out"}
                    </Button>
                  </div>
                }
              >
                <Button size="small">Folder…</Button>
              </Popover>
              <HideInRole
                model={model.name}
                objects={selected.map((name) => `column:${table.name}.${name}`)}
                what={plural(selected.length, "column")}
              />
              <Button size="small" onClick={() => void bulk("quarantine cleared", (column) => ({ ...column, quarantine: false }))}>
                Clear quarantine
              </Button>
              <Button size="small" onClick={() => void bulk("into quarantine", (column) => ({ ...column, quarantine: true }))}>
                Quarantine
              </Button>
              <button type="button" className="textlink" onClick={() => setSelected([])}>
                none
              </button>
            </>
          ) : (
            <>
              {quarantined.length > 0 && (
                <>
                  <span className="careful">{plural(quarantined.length, "column")} in quarantine, hidden from everybody.</span>
                  <button type="button" className="textlink" onClick={() => setSelected(quarantined)}>
                    choose them
                  </button>
                </>
              )}
              <span className="grow" />
              {!table.alias_of && (
                <>
                  <Button size="small" onClick={() => setAdding("derived")}>
                    + derived column
                  </Button>
                  <Button size="small" onClick={() => setAdding("mapping")}>
                    + group values
                  </Button>
                </>
              )}
            </>
          )}
        </div>
      )}
      <Scroll label="Columns" className="scroll fill no-least-tall">
        <table className="data table-columns" data-testid="columns">
          <thead>
            <tr>
              {editable && (
                <th>
                  <Checkbox
                    aria-label="All columns"
                    checked={selected.length === columns.length && columns.length > 0}
                    indeterminate={selected.length > 0 && selected.length < columns.length}
                    onChange={(event) => setSelected(event.target.checked ? columns.map((column) => column.name) : [])}
                  />
                </th>
              )}
              <th>column</th>
              <th>type</th>
              <th>values</th>
              <th className="number">distinct</th>
              <th className="number">blank</th>
              <th>tags</th>
              <th>touched by</th>
            </tr>
          </thead>
          <tbody>
            {columns.map((column) => {
              const held = profile.columns.find((item) => item.name === column.name);
              const touched = [
                ...new Map(
                  profile.touches.filter((item) => item.object === `column:${table.name}.${column.name}`).map((item) => [item.role, item]),
                ).values(),
              ];
              const hidden = tableAbsent || absent.has(column.name);
              return [
                <tr key={column.name} className={open === column.name ? "on" : ""}>
                  {editable && (
                    <td>
                      <Checkbox
                        aria-label={`Choose ${column.name}`}
                        checked={selected.includes(column.name)}
                        onChange={(event) =>
                          setSelected(event.target.checked ? [...selected, column.name] : selected.filter((name) => name !== column.name))
                        }
                      />
                    </td>
                  )}
                  <td
                    className={hidden ? "hid" : ""}
                    {...marked(
                      objectSubject(model.name, "column", `${table.name}.${column.name}`, `${table.name} · ${column.name}`),
                      "who",
                    )}
                  >
                    <button
                      type="button"
                      className="plain cut column-name"
                      aria-expanded={open === column.name}
                      onClick={() => setOpen(open === column.name ? null : column.name)}
                    >
                      {open === column.name ? "▾" : "▸"} {column.name}
                    </button>
                    {hidden && <span className="small"> absent</span>}
                    {column.name === table.key && <span className="small soft"> key</span>}
                    {column.quarantine && <span className="small careful"> quarantine</span>}
                    {(column.expression || column.mapping) && <span className="small soft"> derived</span>}
                  </td>
                  <td className="soft">{column.type}</td>
                  <td>{held && <Distribution profile={held} />}</td>
                  <td className="number">{held ? count(held.distinct) : ""}</td>
                  <td className="number">{held ? count(held.blank) : ""}</td>
                  <td className="small">
                    {(column.tags ?? []).join(", ")}
                    {column.folder && <span className="soft"> in {column.folder}</span>}
                  </td>
                  <td className="small touched">
                    {touched.map((item, index) => (
                      <span key={item.role}>
                        {index > 0 && ", "}
                        <NavLink to={`/roles/${encodeURIComponent(item.role)}`}>{item.label}</NavLink>
                      </span>
                    ))}
                  </td>
                </tr>,
                open === column.name && (
                  <tr key={`${column.name}.open`} className="opened">
                    <td colSpan={editable ? 8 : 7}>
                      <ColumnDetail
                        key={column.name}
                        model={model}
                        table={table}
                        column={column}
                        profile={profile}
                        edits={edits}
                        editable={editable && !table.alias_of}
                      />
                    </td>
                  </tr>
                ),
              ];
            })}
          </tbody>
        </table>
      </Scroll>
      {adding === "derived" && <DerivedEditor model={model} table={table} column={null} edits={edits} close={() => setAdding(null)} />}
      {adding === "mapping" && <MappingEditor model={model} table={table} column={null} edits={edits} close={() => setAdding(null)} />}
    </>
  );
}

function ColumnDetail({
  model,
  table,
  column,
  profile,
  edits,
  editable,
}: {
  model: Model;
  table: Table;
  column: Column;
  profile: Profile;
  edits: ModelEdits;
  editable: boolean;
}) {
  const held = profile.columns.find((item) => item.name === column.name);
  const builds = profile.dependents[column.name] ?? [];
  const touches = profile.touches.filter((item) => item.object === `column:${table.name}.${column.name}`);
  const [label, setLabel] = useState(column.label ?? "");
  const [about, setAbout] = useState(column.about ?? "");
  const [editing, setEditing] = useState(false);
  const changed = label !== (column.label ?? "") || about !== (column.about ?? "");
  return (
    <div className="detail">
      <div>
        {held && (
          <p className="small">
            {held.least !== null && held.least !== undefined && (
              <>
                from <b>{String(held.least)}</b> to <b>{String(held.greatest)}</b> ·{" "}
              </>
            )}
            {!held.ranged && held.bars.map((bar) => `${bar.label} (${count(bar.rows)})`).join(", ")}
            {!held.ranged && held.others > 0 && `, others (${count(held.others)})`}
          </p>
        )}
        <p className="small">
          <span className="soft">Builds on it: </span>
          {builds.length > 0 ? builds.join(", ") : "nothing"}
        </p>
        <p className="small">
          <span className="soft">Sentences: </span>
          {touches.length > 0 ? touches.map((item) => `${item.label} (${item.kind})`).join(", ") : "none"}
        </p>
        <ColumnValues model={model.name} table={table.name} column={column.name} type={column.type} />
        {column.expression && (
          <p className="small">
            <span className="soft">Computed: </span>
            <code>{column.expression}</code>
          </p>
        )}
        {column.mapping && (
          <p className="small">
            <span className="soft">Groups the values of </span>
            <code>{column.mapping.of}</code>
            <span className="soft"> into {new Set(Object.values(column.mapping.values)).size}</span>
          </p>
        )}
      </div>
      {editable && (
        <div className="fields">
          <Input
            size="small"
            aria-label={`Label of ${column.name}`}
            placeholder="label"
            value={label}
            onChange={(event) => setLabel(event.target.value)}
          />
          <Input.TextArea
            aria-label={`About ${column.name}`}
            autoSize={{ minRows: 1, maxRows: 4 }}
            placeholder="what it holds"
            value={about}
            onChange={(event) => setAbout(event.target.value)}
          />
          {(column.type === "number" || column.type === "integer" || column.type === "timestamp") && (
            <ShownAs
              column={column}
              save={(display) =>
                void edits.save(`how ${column.name} is shown`, (document) =>
                  withColumns(document, table.name, [column.name], (item) => ({ ...item, display })),
                )
              }
            />
          )}
          <div className="row">
            <Button
              size="small"
              disabled={!changed}
              loading={edits.saving}
              onClick={() =>
                void edits.save(`notes of ${column.name}`, (document) =>
                  withColumns(document, table.name, [column.name], (item) => ({
                    ...item,
                    label: label.trim() || null,
                    about: about.trim() || null,
                  })),
                )
              }
            >
              Save notes
            </Button>
            {(column.expression || column.mapping) && (
              <>
                <Button size="small" onClick={() => setEditing(true)}>
                  Edit
                </Button>
                <Button
                  size="small"
                  danger
                  onClick={() =>
                    void edits.save(`${column.name} deleted`, (document) =>
                      withTable(document, table.name, (item) => ({
                        ...item,
                        columns: (item.columns ?? []).filter((other) => other.name !== column.name),
                      })),
                    )
                  }
                >
                  Delete
                </Button>
              </>
            )}
          </div>
        </div>
      )}
      {editing && column.mapping && (
        <MappingEditor model={model} table={table} column={column} edits={edits} close={() => setEditing(false)} />
      )}
      {editing && column.expression && (
        <DerivedEditor model={model} table={table} column={column} edits={edits} close={() => setEditing(false)} />
      )}
    </div>
  );
}
