import { Input, Radio, Select } from "antd";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import type { Editing, Part } from "../../ui/sentences/sentence";
import { Falls } from "./Falls";

type Objects = Part<"objects">;
type Answer = Schemas["ObjectsAnswer"] | null;
type Said = "shown" | "hidden" | "inherits";

function said(sentence: Objects, name: string): Said {
  if (sentence.hide?.includes(name)) return "hidden";
  return sentence.show?.includes(name) ? "shown" : "inherits";
}

function withSaid(sentence: Objects, name: string, to: Said): Objects {
  const hide = (sentence.hide ?? []).filter((item) => item !== name);
  const show = (sentence.show ?? []).filter((item) => item !== name);
  return { ...sentence, hide: to === "hidden" ? [...hide, name] : hide, show: to === "shown" ? [...show, name] : show };
}

type LineProps = {
  name: string;
  label: string;
  depth: number;
  sentence: Objects;
  onChange: (sentence: Objects) => void;
  exists: boolean | null;
  note?: string;
};

/** Three words for one object: what the sentence says of it, and what follows. */
function Line({ name, label, depth, sentence, onChange, exists, note }: LineProps) {
  return (
    <div className="object-line" style={{ paddingLeft: depth * 16 }}>
      <span className={`mark ${exists === null ? "" : exists ? "visible" : "hid"}`} aria-hidden="true" />
      <span className="cut grow" title={label}>
        {label} {note && <span className="soft small">{note}</span>}
      </span>
      <span className="soft small nowrap">{exists === null ? "" : exists ? "visible" : "absent"}</span>
      <Radio.Group
        size="small"
        aria-label={label}
        value={said(sentence, name)}
        onChange={(event) => onChange(withSaid(sentence, name, event.target.value as Said))}
      >
        <Radio.Button value="shown">show</Radio.Button>
        <Radio.Button value="inherits">as above</Radio.Button>
        <Radio.Button value="hidden">hide</Radio.Button>
      </Radio.Group>
    </div>
  );
}

type Props = { editing: Editing; sentence: Objects; onChange: (sentence: Objects) => void };

/** The objects sentence on a tree of tables, columns, measures, hierarchies and cubes, with what falls underneath before it is saved. */
export function ObjectsEditor({ editing, sentence, onChange }: Props) {
  const { model } = editing;
  const result: Answer = editing.effect?.objects ?? null;
  const mentioned = [...(sentence.hide ?? []), ...(sentence.show ?? [])];
  const [search, setSearch] = useState("");
  const [open, setOpen] = useState<string[]>(() =>
    (model.document.tables ?? [])
      .map((table) => table.name)
      .filter((table) => mentioned.some((name) => name.startsWith(`column:${table}.`))),
  );
  const tags = model.objects.filter((name) => name.startsWith("tag:") || name.startsWith("folder:"));
  const wanted = search.trim().toLowerCase();
  const found = (text: string) => wanted === "" || text.toLowerCase().includes(wanted);
  const line = { sentence, onChange };
  const known = new Set(model.objects);
  const gone = mentioned.filter((name) => !known.has(name));
  return (
    <div className="objects-editor form">
      <div className="row wrap">
        <span>Everything not mentioned is</span>
        <Select
          showSearch
          optionFilterProp="label"
          size="small"
          aria-label="Everything not mentioned is"
          value={sentence.default ?? "visible"}
          onChange={(value) => onChange({ ...sentence, default: value })}
          options={[
            { value: "visible", label: "visible" },
            { value: "hidden", label: "hidden" },
          ]}
        />
        <Input
          size="small"
          allowClear
          aria-label="Search objects"
          placeholder="Search objects"
          className="wide-170"
          value={search}
          onChange={(event) => setSearch(event.target.value)}
        />
      </div>
      {gone.map((name) => (
        <p key={name} className="small warn">
          {name.replace(":", " ")} is not in the model any more.{" "}
          <button type="button" className="textlink" onClick={() => onChange(withSaid(sentence, name, "inherits"))}>
            Take it out
          </button>
        </p>
      ))}
      <div className="object-tree">
        {tags.some((name) => found(name)) && <div className="small soft">By tag and folder: everything that carries it</div>}
        {tags
          .filter((name) => found(name))
          .map((name) => (
            <Line key={name} {...line} name={name} label={name.replace(":", " ")} depth={0} exists={null} />
          ))}
        <div className="small soft">By table, column and measure</div>
        {(model.document.tables ?? []).map((table) => {
          const original = model.document.tables?.find((item) => item.name === table.alias_of) ?? table;
          const measures = (model.document.measures ?? []).filter((measure) => measure.table === table.name);
          const columns = (original.columns ?? []).filter((column) => found(`${table.name} ${column.name}`));
          const shownMeasures = measures.filter((measure) => found(`${table.name} ${measure.name} ${measure.label ?? ""}`));
          if (!found(table.name) && columns.length === 0 && shownMeasures.length === 0) return null;
          const exists = result ? result.tables[table.name] !== undefined : null;
          const unfolded = open.includes(table.name) || wanted !== "";
          return (
            <div key={table.name}>
              <div className="row">
                <button
                  type="button"
                  className="plain fold"
                  aria-expanded={unfolded}
                  aria-label={`${unfolded ? "Fold" : "Unfold"} ${table.name}`}
                  onClick={() => setOpen(unfolded ? open.filter((name) => name !== table.name) : [...open, table.name])}
                >
                  {unfolded ? "▾" : "▸"}
                </button>
                <div className="grow">
                  <Line
                    {...line}
                    name={`table:${table.name}`}
                    label={table.name}
                    depth={0}
                    exists={exists}
                    note={(table.tags ?? []).join(", ")}
                  />
                </div>
              </div>
              {unfolded && (
                <div className="inset-20">
                  {columns.map((column) => (
                    <Line
                      key={column.name}
                      {...line}
                      name={`column:${table.name}.${column.name}`}
                      label={column.name}
                      note={[...(column.tags ?? []), ...(column.quarantine ? ["in quarantine"] : [])].join(", ")}
                      depth={1}
                      exists={result ? (result.tables[table.name]?.includes(column.name) ?? false) : null}
                    />
                  ))}
                  {shownMeasures.map((measure) => (
                    <Line
                      key={measure.name}
                      {...line}
                      name={`measure:${measure.name}`}
                      label={measure.label ?? measure.name}
                      note="measure"
                      depth={1}
                      exists={result ? result.measures.includes(measure.name) : null}
                    />
                  ))}
                </div>
              )}
            </div>
          );
        })}
        {(model.document.hierarchies ?? []).some((item) => found(item.name)) && <div className="small soft">Hierarchies</div>}
        {(model.document.hierarchies ?? [])
          .filter((item) => found(item.name))
          .map((item) => (
            <Line
              key={item.name}
              {...line}
              name={`hierarchy:${item.name}`}
              label={item.label ?? item.name}
              note={item.table}
              depth={0}
              exists={result ? result.hierarchies.includes(item.name) : null}
            />
          ))}
        {(model.document.cubes ?? []).some((item) => found(item.name)) && <div className="small soft">Cubes</div>}
        {(model.document.cubes ?? [])
          .filter((item) => found(item.name))
          .map((item) => (
            <Line
              key={item.name}
              {...line}
              name={`cube:${item.name}`}
              label={item.label ?? item.name}
              depth={0}
              exists={result ? result.cubes.includes(item.name) : null}
            />
          ))}
      </div>
      <Falls effect={editing.effect} />
    </div>
  );
}
