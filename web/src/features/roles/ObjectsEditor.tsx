import { Radio, Select } from "antd";
import { useState } from "react";
import type { ModelAnswer, Schemas } from "../../api/client";

type Objects = Schemas["ObjectsSentence"];
type Answer = Schemas["ObjectsAnswer"] | null;

type Props = { model: ModelAnswer; sentence: Objects; onChange: (sentence: Objects) => void; result: Answer };

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

/** Three words for one object: what the sentence says of it, and what follows. */
function Line({
  name,
  label,
  depth,
  sentence,
  onChange,
  exists,
  note,
}: {
  name: string;
  label: string;
  depth: number;
  sentence: Objects;
  onChange: Props["onChange"];
  exists: boolean | null;
  note?: string;
}) {
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

/** The objects sentence on a tree of tables, columns and measures, with what falls underneath before it is saved. */
export function ObjectsEditor({ model, sentence, onChange, result }: Props) {
  const [open, setOpen] = useState<string[]>(() =>
    (model.document.tables ?? [])
      .map((table) => table.name)
      .filter((table) => [...(sentence.hide ?? []), ...(sentence.show ?? [])].some((name) => name.startsWith(`column:${table}.`))),
  );
  const tags = model.objects.filter((name) => name.startsWith("tag:") || name.startsWith("folder:"));
  const mentioned = new Set([...(sentence.hide ?? []), ...(sentence.show ?? [])]);
  const fallen = (model.document.measures ?? []).filter((measure) => result && !result.measures.includes(measure.name));
  return (
    <div className="objects-editor">
      <div className="row wrap" style={{ marginBottom: 6 }}>
        <span>Everything not mentioned is</span>
        <Select
          size="small"
          aria-label="Everything not mentioned is"
          value={sentence.default ?? "visible"}
          onChange={(value) => onChange({ ...sentence, default: value })}
          options={[
            { value: "visible", label: "visible" },
            { value: "hidden", label: "hidden" },
          ]}
        />
      </div>
      {tags.length > 0 && (
        <>
          <div className="small soft">By tag and folder</div>
          {tags.map((name) => (
            <Line key={name} name={name} label={name.replace(":", " ")} depth={0} sentence={sentence} onChange={onChange} exists={null} />
          ))}
        </>
      )}
      <div className="small soft">By table, column and measure</div>
      <div className="object-tree">
        {(model.document.tables ?? []).map((table) => {
          const exists = result ? result.tables[table.name] !== undefined : null;
          const unfolded = open.includes(table.name);
          const measures = (model.document.measures ?? []).filter((measure) => measure.table === table.name);
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
                  <Line name={`table:${table.name}`} label={table.name} depth={0} sentence={sentence} onChange={onChange} exists={exists} />
                </div>
              </div>
              {unfolded && (
                <div style={{ paddingLeft: 20 }}>
                  {(table.columns ?? []).map((column) => (
                    <Line
                      key={column.name}
                      name={`column:${table.name}.${column.name}`}
                      label={column.name}
                      note={(column.tags ?? []).join(", ")}
                      depth={1}
                      sentence={sentence}
                      onChange={onChange}
                      exists={result ? (result.tables[table.name]?.includes(column.name) ?? false) : null}
                    />
                  ))}
                  {measures.map((measure) => (
                    <Line
                      key={measure.name}
                      name={`measure:${measure.name}`}
                      label={measure.label ?? measure.name}
                      note="measure"
                      depth={1}
                      sentence={sentence}
                      onChange={onChange}
                      exists={result ? result.measures.includes(measure.name) : null}
                    />
                  ))}
                </div>
              )}
            </div>
          );
        })}
      </div>
      {result && (
        <p className="to">
          {fallen.length === 0 ? (
            "Every measure stays."
          ) : (
            <>
              Measures absent under this role: <b>{fallen.map((measure) => measure.label ?? measure.name).join(", ")}</b>.{" "}
              {fallen.some((measure) => !mentioned.has(`measure:${measure.name}`)) && "A measure falls with any column it reads."}
            </>
          )}
        </p>
      )}
    </div>
  );
}
