import type { ModelAnswer } from "../../api/client";
import { shownValue } from "../../ui/figures";
import { Scroll } from "../../ui/Scroll";
import { SeenCell } from "../../ui/SeenCell";
import type { EffectAnswer } from "./sentence";

const PREVIEW_COLUMNS = 5;

type Props = {
  model: ModelAnswer | undefined;
  answer: EffectAnswer;
  table: string | null;
  /** Which of the viewers asked about. */
  at: number;
  ask: ((row: string | number, title: string) => void) | null;
  /** Who sees a row, for tables with a key. */
  who: ((column: string, value: string | number, title: string) => void) | null;
};

/** Rows before and after the edit, withheld ones in their places; a row can be asked why. */
export function EffectRows({ model, answer, table, at, ask, who }: Props) {
  const before = answer.before.rows;
  const after = answer.after?.rows ?? before;
  if (!before || !after || !table) return null;
  const shape = model?.document.tables?.find((item) => item.name === table);
  const order = after.columns.map((_, index) => index).slice(0, PREVIEW_COLUMNS);
  const keyAt = after.columns.indexOf(shape?.key ?? "");
  const lost = after.rows.filter((row, index) => before.rows[index]?.states[at] && !row.states[at]).length;
  const gained = after.rows.filter((row, index) => !before.rows[index]?.states[at] && row.states[at]).length;
  return (
    <>
      <Scroll className="scroll rows" label={`Rows of ${table}`}>
        <table className="data">
          <thead>
            <tr>
              {order.map((index) => (
                <th key={after.columns[index]} className={typeof after.rows[0]?.values[index] === "number" ? "number" : ""}>
                  {after.columns[index]}
                </th>
              ))}
              {ask && <th aria-label="why" />}
            </tr>
          </thead>
          <tbody>
            {after.rows.map((row, place) => {
              const states = row.states[at] ?? null;
              const had = before.rows[place]?.states[at] ?? null;
              const change = had && !states ? "lost" : !had && states ? "gained" : "";
              return (
                <tr
                  key={place}
                  className={change}
                  title={
                    change === "lost" ? "would be lost by this edit" : change === "gained" ? "would be gained by this edit" : undefined
                  }
                >
                  {order.map((index) => {
                    const withheld = states === null && change !== "lost" && index !== keyAt;
                    const state = withheld ? "hidden" : (states?.[index] ?? "clear");
                    const value = states === null ? row.values[index] : row.shown[at]?.[index];
                    return (
                      <SeenCell key={after.columns[index]} state={state} number={typeof row.values[index] === "number"}>
                        {shownValue(value)}
                      </SeenCell>
                    );
                  })}
                  {ask && (
                    <td className="right nowrap">
                      <button
                        type="button"
                        className="textlink small"
                        onClick={() => {
                          const named = keyAt >= 0 ? (row.values[keyAt] as string | number) : row.row;
                          ask(named, `${table} ${String(named)}`);
                        }}
                      >
                        why
                      </button>
                      {who && keyAt >= 0 && (
                        <>
                          {" "}
                          <button
                            type="button"
                            className="textlink small"
                            onClick={() =>
                              who(after.columns[keyAt] ?? "", row.values[keyAt] as string | number, `${table} ${String(row.values[keyAt])}`)
                            }
                          >
                            who
                          </button>
                        </>
                      )}
                    </td>
                  )}
                </tr>
              );
            })}
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
