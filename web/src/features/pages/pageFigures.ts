import type { Model, Schemas } from "../../api/client";
import { figureSubject, type Subject } from "../../state/asking";
import { type Key, shownKey } from "../../ui/chartLines";
import { columnType, literal } from "../../ui/conditions/clauses";
import { splitName } from "../../ui/fullNames";

/** A figure of a page as something to ask about: with the exhibit's own filter, and those of the page that narrow it. */
export function figureOf(
  page: Schemas["PageAnswer"],
  place: number,
  measure: string,
  key: Key,
  filters: Schemas["PageFilter"][],
  model: Model,
): Subject | null {
  const entry = page.exhibits[place];
  if (!entry?.totals) return null;
  const narrowing = filters.filter((filter) => (entry.narrowed ?? []).includes(filter.column) && filter.from_exhibit !== place);
  const parts = [...(entry.exhibit.where ? [`(${entry.exhibit.where})`] : []), ...narrowing.map((filter) => inFilter(filter, model))];
  const title = [page.measures[measure]?.label ?? measure, ...key.map(shownKey)].join(" · ");
  const where = parts.length > 0 ? parts.join(" AND ") : null;
  return figureSubject({ model: model.name, measure, by: entry.totals.by, where, key }, title);
}

function inFilter(filter: Schemas["PageFilter"], model: Model): string {
  const [table, column] = splitName(filter.column);
  const type = columnType(model, table, column);
  const name = `${table}."${column.replaceAll('"', '""')}"`;
  const values = filter.values.filter((value) => value !== null).map((value) => literal(value, type));
  const parts = [
    ...(values.length > 0 ? [`${name} IN (${values.join(", ")})`] : []),
    ...(filter.values.includes(null) ? [`${name} IS NULL`] : []),
  ];
  return `(${parts.join(" OR ") || "TRUE"})`;
}
