import { Button, Select } from "antd";
import { useState } from "react";
import type { Model, Schemas } from "../../api/client";
import { count } from "../../ui/figures";
import { Empty } from "../../ui/Notice";
import type { ModelEdits } from "./useModelEdits";

type Table = Schemas["Table"];

const CARRIES = [
  { value: "down", label: "restrictions run down" },
  { value: "down_and_up", label: "down and up" },
];

/** The table's relationships with their health; what no key is found for is counted. */
export function RelationshipsTab({
  model,
  table,
  profile,
  edits,
  editable,
}: {
  model: Model;
  table: Table;
  profile: Schemas["TableProfile"];
  edits: ModelEdits;
  editable: boolean;
}) {
  const [column, setColumn] = useState<string | null>(null);
  const [to, setTo] = useState<string | null>(null);
  const columnsOf = (item: Table) =>
    (item.alias_of ? (model.tables ?? []).find((other) => other.name === item.alias_of) : item)?.columns ?? [];
  const keyOf = (item: Table) =>
    item.key ?? (item.alias_of ? (model.tables ?? []).find((other) => other.name === item.alias_of)?.key : null);
  return (
    <div>
      {profile.relationships.length === 0 && (
        <Empty title="No relationship">
          A restriction on another table does not reach this one, and this one's restrictions go nowhere.
        </Empty>
      )}
      {profile.relationships.map((item) => {
        const from = `${item.from_table}.${item.from_column}`;
        const target = `${item.to_table}.${item.to_column}`;
        return (
          <div key={from + target} className="relationship">
            <div className="row wrap">
              <code>{from}</code> <span className="soft">looks up</span> <code>{target}</code>
              <span className="grow" />
              {editable && (
                <>
                  <Select
                    size="small"
                    aria-label={`What ${from} carries`}
                    className="wide-170"
                    value={item.carries_up ? "down_and_up" : "down"}
                    options={CARRIES}
                    onChange={(carries) =>
                      void edits.save(`${from} carries ${carries === "down" ? "down" : "down and up"}`, (document) => ({
                        ...document,
                        relationships: (document.relationships ?? []).map((other) =>
                          other.from === from && other.to === target ? { ...other, carries: carries as "down" } : other,
                        ),
                      }))
                    }
                  />
                  <button
                    type="button"
                    className="textlink warn"
                    onClick={() =>
                      void edits.save(`relationship ${from} deleted`, (document) => ({
                        ...document,
                        relationships: (document.relationships ?? []).filter((other) => !(other.from === from && other.to === target)),
                      }))
                    }
                  >
                    delete
                  </button>
                </>
              )}
            </div>
            <div className="row wrap small">
              <span className="bar wide-96" aria-hidden="true">
                <i style={{ width: `${item.rows ? (100 * item.matched) / item.rows : 0}%` }} />
              </span>
              <span>
                {count(item.matched)} of {count(item.rows)} rows find their key
              </span>
              {item.blank > 0 && <span className="careful">{count(item.blank)} blank</span>}
              {item.unmatched > 0 && (
                <span className="warn">
                  {count(item.unmatched)} rows with {count(item.unmatched_values)} unknown keys:{" "}
                  {item.samples.map((bar) => `${bar.label} (${count(bar.rows)})`).join(", ")}
                </span>
              )}
              {item.unused > 0 && <span className="soft">{count(item.unused)} keys are never used</span>}
            </div>
            {item.unmatched > 0 && (
              <p className="small soft">Rows without a key's row are seen only where no sentence restricts {item.to_table}.</p>
            )}
          </div>
        );
      })}
      {editable && (
        <div className="row wrap above-10">
          <Select
            aria-label="Column of this table"
            placeholder="a column of this table"
            className="least-190"
            value={column}
            onChange={setColumn}
            options={columnsOf(table).map((item) => ({ value: item.name, label: item.name }))}
          />
          <span className="soft">looks up</span>
          <Select
            showSearch
            optionFilterProp="label"
            aria-label="Table looked up"
            placeholder="a table with a key"
            className="least-190"
            value={to}
            onChange={setTo}
            options={(model.tables ?? [])
              .filter((item) => item.name !== table.name && keyOf(item))
              .map((item) => ({ value: `${item.name}.${keyOf(item)}`, label: `${item.name}.${keyOf(item)}` }))}
          />
          <Button
            disabled={!column || !to}
            loading={edits.saving}
            onClick={async () => {
              if (!column || !to) return;
              const from = `${table.name}.${column}`;
              const saved = await edits.save(`relationship ${from} → ${to}`, (document) => ({
                ...document,
                relationships: [...(document.relationships ?? []), { from, to }],
              }));
              if (saved) {
                setColumn(null);
                setTo(null);
              }
            }}
          >
            Add relationship
          </Button>
        </div>
      )}
    </div>
  );
}
