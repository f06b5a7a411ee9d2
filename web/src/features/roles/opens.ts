import type { ModelAnswer } from "../../api/client";
import { plural } from "../../ui/figures";

/** How much a model holds, in words: what a grant role opens that no sentence narrows. */
export function opensOf(model: ModelAnswer): string {
  const tables = (model.document.tables ?? []).filter((table) => !table.alias_of);
  const rows = tables.reduce((sum, table) => sum + (model.rows[table.name] ?? 0), 0);
  return `${plural(tables.length, "table")}, ${plural(rows, "row")}`;
}
