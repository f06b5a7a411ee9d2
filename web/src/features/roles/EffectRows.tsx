import { memo, useCallback, useMemo, useRef } from "react";
import type { ModelAnswer } from "../../api/client";
import { displaysOf, rowValue } from "../../ui/figures";
import { Scroll } from "../../ui/Scroll";
import { SeenCell } from "../../ui/SeenCell";
import type { EffectAnswer } from "../../ui/sentences/sentence";

const PREVIEW_COLUMNS = 5;

type Props = {
  model: ModelAnswer | undefined;
  answer: EffectAnswer;
  table: string | null;
  /** Which of the viewers asked about. */
  at: number;
  ask: (what: "why" | "who", row: string | number, title: string) => void;
  /** Whether it is all the data: nobody, so that there is no why. */
  everything: boolean;
};

/** Rows before and after the edit, withheld ones in their places; a row can be asked why. */
export function EffectRows({ model, answer, table, at, ask, everything }: Props) {
  const latest = useRef({ ask, table });
  latest.current = { ask, table };
  const act = useCallback((what: "why" | "who", value: string | number) => {
    latest.current.ask(what, value, `${latest.current.table} ${String(value)}`);
  }, []);
  const before = answer.before.rows;
  const displays = useMemo(() => displaysOf(model?.document.tables ?? [], table), [model, table]);
  const after = answer.after?.rows ?? before;
  if (!before || !after || !table) return null;
  const shape = model?.document.tables?.find((item) => item.name === table);
  const columns = after.columns.slice(0, PREVIEW_COLUMNS);
  const keyAt = after.columns.indexOf(shape?.key ?? "");
  const lost = after.rows.filter((row, index) => before.rows[index]?.states[at] && !row.states[at]).length;
  const gained = after.rows.filter((row, index) => !before.rows[index]?.states[at] && row.states[at]).length;
  return (
    <>
      <Scroll className="scroll rows" label={`Rows of ${table}`}>
        <table className="data">
          <thead>
            <tr>
              {columns.map((column, index) => (
                <th key={column} className={typeof after.rows[0]?.values[index] === "number" ? "number" : ""}>
                  {column}
                </th>
              ))}
              <th>
                <span className="visually-hidden">why and who</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {after.rows.map((row, place) => (
              <Line
                key={place}
                columns={columns}
                displays={displays}
                keyAt={keyAt}
                values={row.values}
                states={row.states[at] ?? null}
                had={before.rows[place]?.states[at] !== undefined && before.rows[place]?.states[at] !== null}
                shown={row.shown[at] ?? null}
                act={act}
                everything={everything}
                row={row.row}
              />
            ))}
          </tbody>
        </table>
      </Scroll>
      <p className="small soft">
        {lost > 0 && <span className="lost-mark">{lost} rows here would be lost by this edit. </span>}
        {gained > 0 && <span className="gained-mark">{gained} rows here would be gained by this edit. </span>}
        Hatched rows are withheld.
        {after.matching > after.rows.length && ` The first ${after.rows.length} of ${after.matching.toLocaleString("en-GB")} rows.`}
      </p>
    </>
  );
}

type State = NonNullable<NonNullable<EffectAnswer["before"]["rows"]>["rows"][number]["states"][number]>[number];
type LineProps = {
  columns: string[];
  displays: ReturnType<typeof displaysOf>;
  /** Where the key stands among the values, -1 where there is none; it need not be among the columns drawn. */
  keyAt: number;
  row: number;
  values: unknown[];
  /** The states of its cells after the edit; null where the row is withheld. */
  states: State[] | null;
  /** Whether it was seen before the edit. */
  had: boolean;
  shown: unknown[] | null;
  act: (what: "why" | "who", value: string | number) => void;
  everything: boolean;
};

/** One row; drawn anew only where it changed, so that a keystroke does not draw hundreds of rows. */
const Line = memo(
  function Line({ columns, displays, keyAt, row, values, states, had, shown, act, everything }: LineProps) {
    const change = had && !states ? "lost" : !had && states ? "gained" : "";
    const key = (keyAt >= 0 ? values[keyAt] : row) as string | number;
    return (
      <tr
        className={change}
        title={change === "lost" ? "would be lost by this edit" : change === "gained" ? "would be gained by this edit" : undefined}
      >
        {columns.map((column, index) => {
          const withheld = states === null && change !== "lost" && index !== keyAt;
          const state = withheld ? "hidden" : (states?.[index] ?? "clear");
          return (
            <SeenCell key={column} state={state} number={typeof values[index] === "number"}>
              {rowValue(states === null ? values[index] : shown?.[index], displays[column])}
            </SeenCell>
          );
        })}
        <td className="right nowrap">
          {!everything && (
            <button type="button" className="textlink small" onClick={() => act("why", key)}>
              why
            </button>
          )}{" "}
          <button type="button" className="textlink small" onClick={() => act("who", key)}>
            who
          </button>
        </td>
      </tr>
    );
  },
  (one, other) => one.act === other.act && JSON.stringify(one) === JSON.stringify(other),
);
