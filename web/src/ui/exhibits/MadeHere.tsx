import { Button, Input } from "antd";
import type { Schemas } from "../../api/client";
import type { Buildable } from "./buildable";
import { renamedMade, withMade, withoutMade } from "./exhibits";

type Exhibit = Schemas["Exhibit"];
type Props = { exhibit: Exhibit; model: Buildable; onChange: (exhibit: Exhibit) => void };

/** Measures and columns made for this exhibit: a name and an expression each; what is wrong with one is said on the exhibit. */
export function MadeHere({ exhibit, model, onChange }: Props) {
  const made = exhibit.made ?? [];
  const table = model.measures.find((item) => exhibit.measures?.includes(item.name))?.table ?? model.tables[0]?.name ?? "";
  const numeric = model.subjects(table).find((item) => item.table === table && item.type === "number");
  const dated = model.subjects(table).find((item) => item.type === "date" || item.type === "timestamp");
  const set = (index: number, change: Partial<(typeof made)[number]>) =>
    onChange({ ...exhibit, made: made.map((item, place) => (place === index ? { ...item, ...change } : item)) });
  return (
    <>
      <span>Made here</span>
      <div className="made-here">
        {made.map((item, index) => (
          <div key={index} className="made-one">
            <div className="row">
              <Input
                aria-label={`Name of ${item.as}`}
                maxLength={100}
                value={item.as}
                onChange={(event) => onChange(renamedMade(exhibit, index, event.target.value))}
              />
              <button
                type="button"
                className="plain soft"
                aria-label={`Take out ${item.as}`}
                onClick={() => onChange(withoutMade(exhibit, item.as))}
              >
                ×
              </button>
            </div>
            <Input.TextArea
              className="mono"
              autoSize
              aria-label={`Expression of ${item.as}`}
              value={item.expression}
              onChange={(event) => set(index, { expression: event.target.value })}
            />
          </div>
        ))}
        <div className="row">
          <Button
            size="small"
            onClick={() => {
              const expression = numeric ? `AVG(${numeric.table}.${numeric.column})` : "COUNT(*)";
              onChange(withMade(exhibit, "measure", { expression, table: numeric ? null : table }));
            }}
          >
            + measure
          </Button>
          {exhibit.kind !== "figure" && (
            <Button
              size="small"
              onClick={() =>
                onChange(
                  withMade(exhibit, "column", {
                    expression: dated ? `EXTRACT(YEAR FROM ${dated.table}.${dated.column})` : `${table}.`,
                    table: null,
                  }),
                )
              }
            >
              + column
            </Button>
          )}
        </div>
      </div>
    </>
  );
}
