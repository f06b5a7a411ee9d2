import type { Schemas } from "../api/client";

/** The key of a line: the values of the columns it is parted by. */
export type Key = (string | number | boolean | null)[];

/** Lines as keys and series: with a second column, one series for each of its values. */
export function laidOut(totals: Schemas["TotalsAnswer"], exhibit: Schemas["Exhibit"], measures: Schemas["PageAnswer"]["measures"]) {
  const several = totals.by.length > 1;
  const parts = several
    ? [...new Map(totals.lines.map((line) => [shownKey(line.key[0]), line.key[0] as Key[number]])).values()]
    : totals.lines.map((line) => line.key[0] as Key[number]);
  const keys = parts.map((part) => shownKey(part));
  const formatOf = (name: string) => measures[name]?.format ?? null;
  if (several && exhibit.colour) {
    const colours = [...new Set(totals.lines.map((line) => shownKey(line.key[1])))];
    const name = totals.measures[0] ?? "";
    const cells = new Map(
      totals.lines.map((line) => [`${shownKey(line.key[0])}\n${shownKey(line.key[1])}`, line.values[0] as number | null]),
    );
    return {
      parts,
      keys,
      series: colours.map((colour) => ({
        name: colour,
        format: formatOf(name),
        values: keys.map((key) => cells.get(`${key}\n${colour}`) ?? null),
      })),
    };
  }
  const lines = several ? totals.lines.map((line) => line.key.map(shownKey).join(" · ")) : keys;
  return {
    parts: several ? totals.lines.map((line) => line.key[0] as Key[number]) : parts,
    keys: lines,
    series: totals.measures.map((name, index) => ({
      name: measures[name]?.label ?? name,
      format: formatOf(name),
      values: totals.lines.map((line) => line.values[index] as number | null),
    })),
  };
}

export function shownKey(part: unknown): string {
  return part === null || part === undefined ? "(blank)" : String(part);
}
