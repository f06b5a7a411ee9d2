import { useQuery } from "@tanstack/react-query";
import { Button, Checkbox, Select } from "antd";
import { useMemo, useState } from "react";
import type { ModelAnswer, Schemas } from "../api/client";
import { queries } from "../api/queries";
import { asks, rowSubject } from "../state/asking";
import { useWorkbench } from "../state/workbench";
import { columnType, literal } from "./conditions/clauses";
import { FilterField } from "./FilterField";
import { count, displaysOf, plural, rowValue } from "./figures";
import { Letter } from "./Letter";
import { Notice } from "./Notice";
import { PickedRows } from "./PickedRows";
import { Scroll } from "./Scroll";
import { SeenCell } from "./SeenCell";
import { Share } from "./Share";
import "./rows-view.css";

const PAGE = 100;

/** How much of a row a viewer sees, by shape, and in words on pointing. */
function Sees({ states }: { states: Schemas["AlignedRow"]["states"][number] | undefined }) {
  const shown = states?.filter((state) => state === "clear").length ?? 0;
  const masked = states?.filter((state) => state === "masked").length ?? 0;
  const all = states !== undefined && states !== null && shown === states.length;
  const words = !states ? "withheld" : all ? "visible" : `${shown} of ${states.length} cells${masked > 0 ? `, ${masked} masked` : ""}`;
  return (
    <span title={words}>
      <span className={`sees ${!states ? "hid" : all ? "visible" : "partly"}`} />
      <span className="visually-hidden">{words}</span>
    </span>
  );
}

export type RowsChoice = { table: string | null; where: string | null; differing: boolean };

type Props = {
  model: ModelAnswer;
  fixed?: string;
  /** What is chosen, where the screen keeps it. */
  choice?: RowsChoice | null;
  choose?: (choice: RowsChoice) => void;
};

/** Rows of a table as the tray sees them, withheld ones in their places; `fixed` names the table where the screen has chosen it. */
export function RowsView({ model, fixed, choice, choose }: Props) {
  const bench = useWorkbench();
  const tables = model.document.tables ?? [];
  const [own, setOwn] = useState<RowsChoice | null>(null);
  const now = choice ?? own;
  const chosen = now?.table ?? tables[0]?.name;
  const where = now?.where ?? null;
  const differing = now?.differing ?? false;
  const change = (part: Partial<RowsChoice>) => (choose ?? setOwn)({ table: chosen ?? null, where, differing, ...part });
  const [page, setPage] = useState(0);
  const [picked, setPicked] = useState<(string | number)[]>([]);
  const table = tables.find((item) => item.name === (fixed ?? chosen)) ?? tables[0];
  const asked = useQuery({
    ...queries.rows({
      state: bench.state,
      as_of: bench.day,
      viewers: bench.pins.map((pin) => pin.viewer),
      rows: {
        model: model.document.name,
        table: table?.name ?? "",
        where,
        order: table?.key ? [`${table.name}.${table.key}`] : [],
        limit: PAGE,
        offset: page * PAGE,
        only: differing ? "differing" : "all",
      },
    }),
    enabled: table !== undefined,
  });
  const rows = asked.data;
  const displays = useMemo(() => displaysOf(tables, table?.name), [tables, table?.name]);
  const key = table?.key ?? null;
  const focus = bench.focus;
  const keyAt = rows?.columns.indexOf(key ?? "") ?? -1;
  const subjectOf = (row: Schemas["AlignedRow"], column?: string) => {
    const named = keyAt >= 0 ? row.values[keyAt] : row.row;
    if (!table || named === null || named === undefined) return null;
    return rowSubject(model.document.name, table.name, named as string | number, column);
  };
  return (
    <>
      <div className="row asked">
        {!fixed && <span className="soft">rows of</span>}
        {!fixed && (
          <Select
            showSearch
            aria-label="Table"
            value={table?.name}
            onChange={(value) => {
              change({ table: value, where: null });
              setPicked([]);
              setPage(0);
            }}
            className="least-160"
            options={tables.map((item) => ({ value: item.name, label: item.name }))}
          />
        )}
        <FilterField
          key={table?.name}
          model={model}
          table={table?.name ?? null}
          where={where}
          onChange={(value) => {
            change({ where: value });
            setPage(0);
          }}
        />
        <Checkbox
          checked={differing}
          disabled={bench.pins.length === 0}
          onChange={(event) => {
            change({ differing: event.target.checked });
            setPage(0);
          }}
        >
          only rows withheld from somebody here
        </Checkbox>
        <span className="grow" />
        {rows && (
          <span className="soft small">
            {rows.matching === 0
              ? "no rows"
              : `${(page * PAGE + 1).toLocaleString("en-GB")}–${(page * PAGE + rows.rows.length).toLocaleString("en-GB")} of ${rows.matching.toLocaleString("en-GB")}`}
          </span>
        )}
        <Button disabled={page === 0} onClick={() => setPage(page - 1)}>
          Earlier
        </Button>
        <Button disabled={!rows || (page + 1) * PAGE >= rows.matching} onClick={() => setPage(page + 1)}>
          Later
        </Button>
      </div>
      {asked.isError && <Notice kind="bad">{asked.error.message}</Notice>}
      {picked.length > 0 && table && key && (
        <PickedRows
          model={model.document.name}
          table={table.name}
          where={`${key} IN (${picked.map((value) => literal(value, columnType(model.document, table.name, key))).join(", ")})`}
          title={`${plural(picked.length, "row")} of ${table.name}`}
          none={() => setPicked([])}
        />
      )}
      {rows && (
        <Scroll label="Rows" busy={asked.isFetching}>
          <table className="data" data-testid="rows">
            <thead>
              <tr>
                {keyAt >= 0 && (
                  <th>
                    <span className="visually-hidden">choose</span>
                  </th>
                )}
                {bench.pins.map((pin, index) => (
                  <th key={pin.key} title={pin.title}>
                    <Letter place={index + 1} little />
                    <span className="visually-hidden">{pin.title}</span>
                  </th>
                ))}
                {rows.columns.map((column, index) => (
                  <th key={column} className={typeof rows.rows[0]?.values[index] === "number" ? "number" : ""}>
                    {column}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {rows.rows.map((row, place) => (
                <tr key={place}>
                  {keyAt >= 0 && (
                    <td>
                      <Checkbox
                        aria-label={`Choose ${String(row.values[keyAt])}`}
                        checked={picked.includes(row.values[keyAt] as string | number)}
                        onChange={(event) => {
                          const named = row.values[keyAt] as string | number;
                          setPicked(event.target.checked ? [...picked, named] : picked.filter((other) => other !== named));
                        }}
                      />
                    </td>
                  )}
                  {bench.pins.map((pin, index) => (
                    <td key={pin.key} {...asks(subjectOf(row), "why", place === 0 && index === 0, index + 1)}>
                      <Sees states={row.states[index]} />
                    </td>
                  ))}
                  {row.values.map((value, index) => {
                    const column = rows.columns[index] ?? "";
                    const states = focus > 0 ? row.states[focus - 1] : undefined;
                    const state = focus > 0 ? (states?.[index] ?? "hidden") : "clear";
                    const shown = focus > 0 ? row.shown[focus - 1]?.[index] : value;
                    // What the viewer does not see stays in view for you, told apart by shape.
                    const told = state === "clear" ? undefined : rowValue(value, displays[column]);
                    return (
                      <SeenCell
                        key={column}
                        state={state}
                        told={told}
                        number={typeof value === "number"}
                        ask={asks(subjectOf(row, column), "why", place === 0 && index === 0)}
                      >
                        {rowValue(shown, displays[column])}
                      </SeenCell>
                    );
                  })}
                </tr>
              ))}
            </tbody>
          </table>
          {rows.rows.length === 0 && <p className="pad soft">No row matches.</p>}
        </Scroll>
      )}
      <div className="counted">
        <b>Rows</b>
        {bench.pins.map((pin, index) => (
          <span key={pin.key} className="row">
            <Letter place={index + 1} little />
            {rows?.refused[index] ? (
              <span className="warn small">
                {rows.refused[index]?.code === "not_found"
                  ? "no role of theirs opens this table, or the model"
                  : rows.refused[index]?.message}
              </span>
            ) : rows && !differing ? (
              <>
                <Share visible={rows.visible[index] ?? 0} rows={rows.matching} />
                {(rows.listed[index] ?? 0) < (rows.visible[index] ?? 0) && (
                  <span className="soft small">
                    {rows.listed[index] === 0 ? "none listed: they only count" : `${count(rows.listed[index] ?? 0)} listed`}
                  </span>
                )}
              </>
            ) : null}
          </span>
        ))}
        <span className="grow" />
        <span className="soft small">
          {focus > 0
            ? `Cells as ${bench.pins[focus - 1]?.title} sees them; what is hatched or masked is told in grey to you only. Press 0 for all data.`
            : "All data; press 1 to 4 to look through a viewer’s eyes."}
        </span>
      </div>
    </>
  );
}
