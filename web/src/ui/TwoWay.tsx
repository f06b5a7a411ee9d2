import { useMemo, useState } from "react";
import type { Schemas } from "../api/client";
import { type Key, shownKey } from "./chartLines";
import { sides } from "./exhibits/exhibits";
import { Figure } from "./Figure";
import { columnHeading } from "./fullNames";
import { Scroll } from "./Scroll";
import { type Branch, crossed, unfolded } from "./twoWay";

type Props = {
  entry: Schemas["ExhibitAnswer"] & { totals: Schemas["TotalsAnswer"] };
  measures: Schemas["PageAnswer"]["measures"];
  /** A figure as something to ask about, where one may. */
  ask: (measure: string, key: Key) => object;
  beneath?: (key: Key) => void;
};

const NONE: ReadonlySet<string> = new Set();

/** Columns down against columns across: outer levels unfold, and sums close the table where it has them. */
export function TwoWay({ entry, measures, ask, beneath }: Props) {
  const { exhibit, totals } = entry;
  const [open, setOpen] = useState<ReadonlySet<string>>(NONE);
  const [wide, setWide] = useState<ReadonlySet<string>>(NONE);
  const table = useMemo(() => crossed(exhibit, totals, entry.margins ?? []), [exhibit, totals, entry.margins]);
  const { down } = sides(exhibit);
  const rows = unfolded(table.down, open);
  const columns = [...unfolded(table.across, wide), ...(exhibit.totals ? [{ key: [], beneath: [] }] : [])];
  const several = totals.measures.length > 1;
  const cells = (row: Key) =>
    columns.flatMap(({ key }) =>
      totals.measures.map((measure, index) => {
        const found = table.at(row, key);
        const whole = key.length === 0 || row.length === down.length;
        const value = found?.[index];
        const figure = (inside: boolean) =>
          table.withheld(row, key, measure) ? (
            <span className="soft">withheld</span>
          ) : (
            <Figure value={value} format={measures[measure]?.format ?? null} inside={inside} />
          );
        return (
          <td
            key={`${JSON.stringify(key)}${measure}`}
            className={`number ${key.length === 0 ? "summed" : ""}`}
            {...(found && whole ? ask(measure, [...row, ...key]) : {})}
          >
            {beneath && found && whole ? (
              <button type="button" className="plain" title="rows beneath" onClick={() => beneath([...row, ...key])}>
                {figure(true)}
              </button>
            ) : (
              figure(false)
            )}
          </td>
        );
      }),
    );
  return (
    <Scroll label={exhibit.title}>
      <table className="data two-way">
        <thead>
          <tr>
            <th rowSpan={several ? 2 : 1}>{down.map(columnHeading).join(" › ")}</th>
            {columns.map((column) => (
              <th key={JSON.stringify(column.key)} className="number" colSpan={totals.measures.length}>
                {column.key.length === 0 ? "total" : <Fold branch={column} open={wide} setOpen={setWide} path />}
              </th>
            ))}
          </tr>
          {several && (
            <tr>
              {columns.flatMap((column) =>
                totals.measures.map((measure) => (
                  <th key={`${JSON.stringify(column.key)}${measure}`} className="number">
                    {measures[measure]?.label ?? measure}
                  </th>
                )),
              )}
            </tr>
          )}
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={JSON.stringify(row.key)}>
              <td style={{ paddingInlineStart: `${8 + 16 * (row.key.length - 1)}px` }}>
                <Fold branch={row} open={open} setOpen={setOpen} />
              </td>
              {cells(row.key)}
            </tr>
          ))}
          {exhibit.totals && (
            <tr className="total">
              <td>total</td>
              {cells([])}
            </tr>
          )}
        </tbody>
      </table>
    </Scroll>
  );
}

type FoldProps = { branch: Branch; open: ReadonlySet<string>; setOpen: (open: ReadonlySet<string>) => void; path?: boolean };

/** The name of a line or column; one with levels beneath it unfolds. */
function Fold({ branch, open, setOpen, path = false }: FoldProps) {
  const name = shownKey(branch.key.at(-1) ?? null);
  const own = JSON.stringify(branch.key);
  const outer = path && branch.key.length > 1 && <span className="soft small">{branch.key.slice(0, -1).map(shownKey).join(" › ")} › </span>;
  if (branch.beneath.length === 0) {
    return (
      <>
        {outer}
        {name}
      </>
    );
  }
  const shown = open.has(own);
  return (
    <button
      type="button"
      className="plain"
      aria-expanded={shown}
      onClick={() => setOpen(shown ? new Set([...open].filter((item) => item !== own)) : new Set([...open, own]))}
    >
      <span aria-hidden="true">{shown ? "▾" : "▸"}</span> {outer}
      {name}
    </button>
  );
}
