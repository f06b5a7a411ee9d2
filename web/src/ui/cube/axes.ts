import type { Model, Schemas } from "../../api/client";
import { columnText, columnType, literal } from "../conditions/clauses";

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

/** A cube as it is browsed: its axes and measures, whoever looks. */
export type BrowsedCube = {
  model: string;
  name: string;
  axes: Axis[];
  measures: { name: string; label: string; format: string | null; table: string }[];
};

/** A cube of a model as its keeper has it. */
export function browsed(model: Model, cube: Schemas["Cube"]): BrowsedCube {
  const measures = (cube.measures ?? []).map((name) => {
    const found = (model.measures ?? []).find((item) => item.name === name);
    return { name, label: found?.label ?? name, format: found?.format ?? null, table: found?.table ?? "" };
  });
  return { model: model.name, name: cube.name, axes: axesOf(model, cube), measures };
}

/** As much of a cube as exists for who is signed in. */
export function browsedOwn(model: Schemas["OwnModel"], cube: Schemas["OwnCube"]): BrowsedCube {
  const axes = cube.dimensions.flatMap((dimension): Axis[] => {
    const table = model.tables.find((item) => item.name === dimension.table);
    const level = (column: string): Level => ({
      name: `${dimension.table}.${column}`,
      text: columnText(dimension.table, column, null),
      type: table?.columns.find((item) => item.name === column)?.type ?? "text",
    });
    const hierarchies = model.hierarchies.filter((item) => dimension.hierarchies.includes(item.name));
    if (hierarchies.length > 0) return hierarchies.map((item) => ({ key: item.name, label: item.label, levels: item.levels.map(level) }));
    return table?.key ? [{ key: dimension.table, label: table.label, levels: [level(table.key)] }] : [];
  });
  return { model: model.name, name: cube.name, axes, measures: model.measures.filter((item) => cube.measures.includes(item.name)) };
}
