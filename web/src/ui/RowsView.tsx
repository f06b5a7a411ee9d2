import { useQuery } from "@tanstack/react-query";
import { Button, Checkbox, Select } from "antd";
import { useMemo, useState } from "react";
import type { ModelAnswer, Schemas } from "../api/client";
import { queries } from "../api/queries";
import { asks, rowSubject } from "../state/asking";
import { useWorkbench } from "../state/workbench";
import { FilterField } from "./FilterField";
import { displaysOf, rowValue } from "./figures";
import { Letter } from "./Letter";
import { Notice } from "./Notice";
import { Scroll } from "./Scroll";
import { SeenCell } from "./SeenCell";
import { count, Share } from "./Share";
import "./rows-view.css";

const PAGE = 100;

/** How much of a row a viewer sees, told by shape and by words. */
function Sees({ states }: { states: Schemas["AlignedRow"]["states"][number] | undefined }) {
  if (!states) {
    return (
      <>
        <span className="sees hid" /> <span className="small soft">withheld</span>
      </>
    );
  }
  const shown = states.filter((state) => state === "clear").length;
  const masked = states.filter((state) => state === "masked").length;
  if (shown === states.length) {
    return (
      <>
        <span className="sees visible" /> <span className="small">visible</span>
      </>
    );
  }
  return (
    <>
      <span className="sees partly" />{" "}
      <span className="small">
        {shown} of {states.length} cells{masked > 0 && `, ${String(masked)} masked`}
      </span>
    </>
  );
}

/** Rows of a table as the tray sees them, withheld ones in their places; `fixed` names the table where the screen has chosen it. */
export function RowsView({ model, fixed }: { model: ModelAnswer; fixed?: string }) {
  const bench = useWorkbench();
  const tables = model.document.tables ?? [];
  const [chosen, setTable] = useState<string | undefined>(tables[0]?.name);
  const [where, setWhere] = useState<string | null>(null);
  const [differing, setDiffering] = useState(false);
  const [page, setPage] = useState(0);
  const table = tables.find((item) => item.name === (fixed ?? chosen)) ?? tables[0];
  const asked = useQuery({
    ...queries.rows({
      state: bench.state,
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
              setTable(value);
              setWhere(null);
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
            setWhere(value);
            setPage(0);
          }}
        />
        <Checkbox
          checked={differing}
          disabled={bench.pins.length === 0}
          onChange={(event) => {
            setDiffering(event.target.checked);
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
      {rows && (
        <Scroll label="Rows" busy={asked.isFetching}>
          <table className="data" data-testid="rows">
            <thead>
              <tr>
                {bench.pins.map((pin, index) => (
                  <th key={pin.key}>
                    <Letter place={index + 1} little /> {typeof pin.viewer === "string" ? pin.viewer : pin.title}
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
                  {bench.pins.map((pin, index) => (
                    <td key={pin.key} {...asks(subjectOf(row), "why", place === 0 && index === 0, index + 1)}>
                      <Sees states={row.states[index]} />
                    </td>
                  ))}
                  {row.values.map((value, index) => {
                    const column = rows.columns[index] ?? "";
                    const states = focus > 0 ? row.states[focus - 1] : undefined;
                    // The key of a row that is withheld is shown to you, so that the row can be told from others.
                    const told = focus > 0 && !states && column === key;
                    const state = focus > 0 && !told ? (states?.[index] ?? "hidden") : "clear";
                    const shown = focus > 0 && !told ? row.shown[focus - 1]?.[index] : value;
                    return (
                      <SeenCell
                        key={column}
                        state={state}
                        number={typeof value === "number"}
                        ask={asks(subjectOf(row, column), "why", place === 0 && index === 0)}
                      >
                        {told ? (
                          <span className="soft" title="withheld; the key is shown to you only">
                            {rowValue(shown, displays[column])}
                          </span>
                        ) : (
                          rowValue(shown, displays[column])
                        )}
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
            ? `Cells as ${bench.pins[focus - 1]?.title} sees them; press 0 for all data.`
            : "All data; press 1 to 4 to look through a viewer’s eyes."}
        </span>
      </div>
    </>
  );
}
