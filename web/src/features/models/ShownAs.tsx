import { Input, Select } from "antd";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { rowValue } from "../../ui/figures";

type Column = Schemas["Column"];
type Display = Schemas["Display"];

const AS_IT_IS: Display = { grouped: false, day: false };

/** How the values of a column are shown in rows; it changes no value and no answer. */
export function ShownAs({ column, save }: { column: Column; save: (display: Display | null) => void }) {
  const display = column.display ?? AS_IT_IS;
  const [unit, setUnit] = useState(display.unit ?? "");
  const change = (next: Partial<Display>) => {
    const made = { ...display, ...next };
    save(JSON.stringify(made) === JSON.stringify(AS_IT_IS) ? null : made);
  };
  if (column.type === "timestamp")
    return (
      <Select
        size="small"
        aria-label={`How ${column.name} is shown`}
        value={display.day ? "day" : "exact"}
        onChange={(value) => change({ day: value === "day" })}
        options={[
          { value: "exact", label: "shown with its time" },
          { value: "day", label: "shown as a day" },
        ]}
      />
    );
  return (
    <div className="row wrap">
      <Select
        size="small"
        aria-label={`How ${column.name} is shown`}
        className="least-160"
        value={`${display.grouped ? "grouped" : "plain"}${display.decimals ?? ""}`}
        onChange={(value) => {
          const decimals = value.replace(/\D/g, "");
          change({ grouped: value.startsWith("grouped"), decimals: decimals === "" ? null : Number(decimals) });
        }}
        options={["plain", "grouped", "plain2", "grouped0", "grouped1", "grouped2"].map((value) => ({
          value,
          label: LABELS[value] ?? value,
        }))}
      />
      <Input
        size="small"
        className="wide-104"
        aria-label={`Unit of ${column.name}`}
        placeholder="unit"
        value={unit}
        maxLength={20}
        onChange={(event) => setUnit(event.target.value)}
        onBlur={() => unit.trim() !== (display.unit ?? "") && change({ unit: unit.trim() || null })}
      />
      <span className="soft small">{rowValue(1234.5, { ...display, unit: unit || null })}</span>
    </div>
  );
}

const LABELS: Record<string, string> = {
  plain: "as it is",
  grouped: "in thousands",
  plain2: "2 decimals",
  grouped0: "in thousands, no decimals",
  grouped1: "in thousands, 1 decimal",
  grouped2: "in thousands, 2 decimals",
};
