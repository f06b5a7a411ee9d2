/** A full name `table.column` parted: a table's name has no point, a column's may. */
export function splitName(full: string): [string, string] {
  const point = full.indexOf(".");
  return point < 0 ? [full, ""] : [full.slice(0, point), full.slice(point + 1)];
}

/** The column of a full name as a heading. */
export function columnHeading(full: string): string {
  const [table, column] = splitName(full);
  return (column || table).replaceAll("_", " ");
}
