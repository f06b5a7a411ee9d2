import type { Model, Schemas } from "../../api/client";
import { columnText, columnType, literal } from "../../ui/conditions/clauses";

/** A level of an axis: a column by its full name, as it is written in a condition, and its type. */
export type Level = { name: string; text: string; type: string };
export type Axis = { key: string; label: string; levels: Level[] };
/** How far an axis is drilled: the members chosen on the way down. */
export type Drill = { axis: string; path: unknown[] };

/** Dimensions of a cube as axes: each level hierarchy, or the table's key where it has none. */
export function axesOf(model: Model, cube: Schemas["Cube"]): Axis[] {
  return (cube.dimensions ?? []).flatMap((dimension) => {
    const table = (model.tables ?? []).find((item) => item.name === dimension.table);
    const original = (model.tables ?? []).find((item) => item.name === (table?.alias_of ?? dimension.table));
    const columns = original?.columns ?? [];
    const level = (column: string): Level => ({
      name: `${dimension.table}.${column}`,
      text: columnText(dimension.table, column, null),
      type: columnType(model, dimension.table, column),
    });
    const hierarchies = (dimension.hierarchies ?? []).flatMap((name) => {
      const found = (model.hierarchies ?? []).find((item) => item.name === name);
      return found?.levels ? [{ key: name, label: found.label ?? name, levels: found.levels.map(level) }] : [];
    });
    if (hierarchies.length > 0) return hierarchies;
    const key = original?.key ?? columns[0]?.name;
    return key ? [{ key: dimension.table, label: table?.label ?? dimension.table, levels: [level(key)] }] : [];
  });
}

/** The condition that a level has one value. */
export function equals(level: Level, value: unknown): string {
  return value === null ? `${level.text} IS NULL` : `${level.text} = ${literal(value, level.type)}`;
}

/** Members in the order they are read: figures by size, texts by letter, blank last. */
export function inOrder(one: unknown, other: unknown): number {
  if (one === null) return 1;
  if (other === null) return -1;
  return typeof one === "number" && typeof other === "number" ? one - other : String(one).localeCompare(String(other));
}
