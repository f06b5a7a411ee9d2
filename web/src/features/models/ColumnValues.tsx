import { useQuery } from "@tanstack/react-query";
import { Select } from "antd";
import { useState } from "react";
import { queries } from "../../api/queries";
import { literal } from "../../ui/conditions/clauses";
import { count, plural } from "../../ui/figures";
import { PickedRows } from "../../ui/PickedRows";
import { useDelayed } from "../../ui/useDelayed";

type Props = { model: string; table: string; column: string; type: string };

/** Values of a column to choose among: who may see rows that hold them, or a role that opens just these. */
export function ColumnValues({ model, table, column, type }: Props) {
  const [search, setSearch] = useState("");
  const [picked, setPicked] = useState<string[]>([]);
  const found = useQuery(queries.values(model, table, column, useDelayed(search, 150)));
  const values = (found.data?.values ?? []).filter((item) => item.value !== null);
  const typed = picked.map(
    (text) => values.find((item) => String(item.value) === text)?.value ?? (/^(integer|number)$/.test(type) ? Number(text) : text),
  );
  return (
    <>
      <Select
        size="small"
        mode="multiple"
        aria-label={`Values of ${column}`}
        placeholder="choose values, to see who may see their rows"
        className="full"
        value={picked}
        onChange={setPicked}
        onSearch={setSearch}
        filterOption={false}
        options={values.slice(0, 100).map((item) => ({ value: String(item.value), label: `${String(item.value)} (${count(item.rows)})` }))}
      />
      {picked.length > 0 && (
        <PickedRows
          model={model}
          table={table}
          where={`${column} IN (${typed.map((value) => literal(value, type)).join(", ")})`}
          title={`rows of ${table} with ${picked.length === 1 ? picked[0] : plural(picked.length, "value")}`}
          none={() => setPicked([])}
        />
      )}
    </>
  );
}
