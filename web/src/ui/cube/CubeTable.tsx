import { Button, Select } from "antd";
import { type ReactNode, useState } from "react";
import type { Schemas } from "../../api/client";
import { shownValue } from "../figures";
import { columnHeading } from "../fullNames";
import { Notice } from "../Notice";
import { Scroll } from "../Scroll";
import { inOrder } from "../twoWay";
import { type Axis, type BrowsedCube, type Drill, equals } from "./axes";
import "../rows-view.css";
import "./cube.css";

type Totals = Schemas["TotalsQuestion"];
/** What came back of some questions. */
export type Answered = { answers: Schemas["ViewerAnswers"]["answers"]; error: string | null; busy: boolean };

type Props = {
  cube: BrowsedCube;
  /** Asks as whoever looks. */
  useAnswers: (ask: Schemas["Question"][], enabled: boolean) => Answered;
  /** Who looks, in words; null for oneself. */
  who: string | null;
  /** A figure as something to ask about, where one may. */
  mark?: (question: Totals, key: unknown[], title: string) => object;
  /** The same level for all who are looked at, where it is shown in place of the table. */
  together?: (question: Totals, level: string, format: string | null) => ReactNode;
  /** What stands at the end of the choices. */
  end?: ReactNode;
  /** The rows beneath a number. */
  beneath: (rows: { table: string; title: string; where: string | null; close: () => void }) => ReactNode;
};

/** A two-way table over a cube, as somebody sees it: drilled along a hierarchy, with the rows beneath a number. */
export function CubeTable({ cube, useAnswers, who, mark, together, end, beneath: rowsBeneath }: Props) {
  const { axes } = cube;
  const [down, setDown] = useState<Drill>({ axis: axes[0]?.key ?? "", path: [] });
  const [across, setAcross] = useState<Drill | null>(axes[1] ? { axis: axes[1].key, path: [] } : null);
  const [measure, setMeasure] = useState(cube.measures[0]?.name ?? "");
  const [beneath, setBeneath] = useState<{ title: string; where: string } | null>(null);
  const rowAxis = axes.find((axis) => axis.key === down.axis);
  const columnAxis = across ? axes.find((axis) => axis.key === across.axis) : undefined;
  const level = (axis: Axis | undefined, drill: Drill | null) =>
    axis?.levels[Math.min(drill?.path.length ?? 0, axis.levels.length - 1)] ?? null;
  const rowLevel = level(rowAxis, down);
  const columnLevel = level(columnAxis, across);
  const drilled = (axis: Axis | undefined, index: number, value: unknown) => {
    const at = axis?.levels[index];
    return at ? equals(at, value) : "FALSE";
  };
  const conditions = [
    ...down.path.map((value, index) => drilled(rowAxis, index, value)),
    ...(across?.path ?? []).map((value, index) => drilled(columnAxis, index, value)),
  ];
  const by = [rowLevel, columnLevel].flatMap((item) => (item ? [item.name] : []));
  const where = conditions.length > 0 ? conditions.join(" AND ") : null;
  const question = (columns: string[]): Totals => ({
    model: cube.model,
    by: columns,
    measures: [measure],
    where,
    subtotals: true,
    cube: cube.name,
  });
  const asked = useAnswers(
    [by, ...(columnLevel ? [[columnLevel.name]] : [])].map((columns) => ({ totals: question(columns) })),
    by.length > 0 && measure !== "",
  );
  const found = asked.answers[0];
  const refused = found && "error" in found ? found.error.message : null;
  const totals = found && "lines" in found ? found : null;
  const second = asked.answers[1];
  const acrossTotals = new Map((second && "lines" in second ? second.lines : []).map((line) => [JSON.stringify(line.key), line.values[0]]));
  const absent = totals?.not_found.includes(measure) ?? false;
  const shape = cube.measures.find((item) => item.name === measure);
  const keyOf = (values: unknown[]) => JSON.stringify(values);
  const cells = new Map((totals?.lines ?? []).map((line) => [keyOf(line.key), line.values[0]]));
  const withheld = new Set((totals?.withheld ?? []).map((item) => keyOf(item[0] as unknown[])));
  const full = (totals?.lines ?? []).filter((line) => line.key.length === by.length);
  const rows = [...new Map(full.map((line) => [keyOf([line.key[0]]), line.key[0]])).values()];
  const columns = columnLevel ? [...new Map(full.map((line) => [keyOf([line.key[1]]), line.key[1]])).values()].sort(inOrder) : [];
  const deeper = (axis: Axis | undefined, drill: Drill | null) => axis !== undefined && (drill?.path.length ?? 0) < axis.levels.length - 1;
  const open = (row: unknown, column?: unknown) => {
    const parts = [
      ...conditions,
      ...(rowLevel ? [equals(rowLevel, row)] : []),
      ...(columnLevel && column !== undefined ? [equals(columnLevel, column)] : []),
    ];
    setBeneath({
      title: [row, column]
        .filter((item) => item !== undefined)
        .map((item) => shownKey(item))
        .join(" · "),
      where: parts.join(" AND "),
    });
  };
  const number = (key: unknown[]) => {
    const value = cells.get(keyOf(key));
    if (withheld.has(keyOf(key))) return <span className="hid wide">withheld</span>;
    return shownValue(value, shape?.format);
  };
  const ask = (key: unknown[]) => mark?.(question(by), key, [shape?.label ?? measure, ...key.map(shownKey)].join(" · ")) ?? {};
  return (
    <div className="cube-browser">
      <div className="row wrap asked">
        <Select
          aria-label="Measure"
          className="least-150"
          value={measure}
          onChange={setMeasure}
          options={cube.measures.map((item) => ({ value: item.name, label: item.label }))}
        />
        <span className="soft">by</span>
        <Select
          aria-label="Down"
          className="least-140"
          value={down.axis}
          onChange={(axis) => setDown({ axis, path: [] })}
          options={axes.map((axis) => ({ value: axis.key, label: axis.label, disabled: axis.key === across?.axis }))}
        />
        <span className="soft">across</span>
        <Select
          aria-label="Across"
          allowClear
          className="least-140"
          value={across?.axis ?? null}
          placeholder="nothing"
          onChange={(axis) => setAcross(axis ? { axis, path: [] } : null)}
          options={axes.map((axis) => ({ value: axis.key, label: axis.label, disabled: axis.key === down.axis }))}
        />
        <Button
          disabled={across === null}
          onClick={() => {
            if (!across) return;
            setDown(across);
            setAcross(down);
          }}
        >
          Turn
        </Button>
        <span className="grow" />
        {end}
      </div>
      {[
        { axis: rowAxis, drill: down, set: setDown },
        { axis: columnAxis, drill: across, set: (next: Drill) => setAcross(next) },
      ].map(
        ({ axis, drill, set }) =>
          axis &&
          drill &&
          drill.path.length > 0 && (
            <nav key={axis.key} className="row small trail" aria-label={`Path in ${axis.label}`}>
              <button type="button" className="textlink" onClick={() => set({ ...drill, path: [] })}>
                {axis.label}
              </button>
              {drill.path.map((value, index) => (
                <span key={keyOf(drill.path.slice(0, index + 1))}>
                  ›{" "}
                  <button type="button" className="textlink" onClick={() => set({ ...drill, path: drill.path.slice(0, index + 1) })}>
                    {shownKey(value)}
                  </button>
                </span>
              ))}
            </nav>
          ),
      )}
      {asked.error && <Notice kind="bad">{asked.error}</Notice>}
      {refused && (
        <Notice kind="careful">
          {who ? `For ${who} this cube does not exist, or nothing of it is visible.` : "Nothing of this can be shown."} {refused}
        </Notice>
      )}
      {absent && (
        <Notice kind="careful">
          The measure {shape?.label ?? measure} is absent{who && ` for ${who}`}.
        </Notice>
      )}
      {together && rowLevel && together({ ...question([rowLevel.name]), subtotals: false }, rowLevel.name, shape?.format ?? null)}
      {totals && !absent && !together && (
        <Scroll label="Cube" busy={asked.busy} className="scroll fill no-least-tall">
          <table className="data cube" data-testid="cube">
            <thead>
              <tr>
                <th>{columnHeading(rowLevel?.name ?? "")}</th>
                {columns.map((value) => (
                  <th key={keyOf([value])} className="number">
                    {deeper(columnAxis, across) ? (
                      <button
                        type="button"
                        className="textlink"
                        title="Drill down"
                        onClick={() => across && setAcross({ ...across, path: [...across.path, value] })}
                      >
                        {shownKey(value)}
                      </button>
                    ) : (
                      shownKey(value)
                    )}
                  </th>
                ))}
                <th className="number">total</th>
              </tr>
            </thead>
            <tbody>
              {rows.map((row) => (
                <tr key={keyOf([row])}>
                  <td>
                    {deeper(rowAxis, down) ? (
                      <button
                        type="button"
                        className="textlink"
                        title="Drill down"
                        onClick={() => setDown({ ...down, path: [...down.path, row] })}
                      >
                        {shownKey(row)}
                      </button>
                    ) : (
                      shownKey(row)
                    )}
                  </td>
                  {columns.map((column) => (
                    <td key={keyOf([column])} className="number" {...ask([row, column])}>
                      {cells.has(keyOf([row, column])) && (
                        <button type="button" className="plain figure" title="Rows beneath" onClick={() => open(row, column)}>
                          {number([row, column])}
                        </button>
                      )}
                    </td>
                  ))}
                  <td className="number" {...ask([row])}>
                    <button type="button" className="plain figure" title="Rows beneath" onClick={() => open(row)}>
                      <b>{number([row])}</b>
                    </button>
                  </td>
                </tr>
              ))}
              <tr className="total">
                <td>total</td>
                {columns.map((column) => (
                  <td key={keyOf([column])} className="number">
                    {shownValue(acrossTotals.get(keyOf([column])), shape?.format)}
                  </td>
                ))}
                <td className="number" {...ask([])}>
                  {withheld.has("[]") ? "withheld" : shownValue(totals.total[0], shape?.format)}
                </td>
              </tr>
            </tbody>
          </table>
          {rows.length === 0 && <p className="pad soft">Nothing is visible here{who && ` for ${who}`}.</p>}
        </Scroll>
      )}
      {beneath &&
        shape &&
        rowsBeneath({
          table: shape.table,
          title: `${shape.label}: ${beneath.title}`,
          where: beneath.where,
          close: () => setBeneath(null),
        })}
    </div>
  );
}

function shownKey(value: unknown): string {
  return value === null ? "blank" : String(value);
}
