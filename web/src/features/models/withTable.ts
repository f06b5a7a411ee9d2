import type { Model, Schemas } from "../../api/client";

type Table = Schemas["Table"];

/** The model with one of its tables changed. */
export function withTable(model: Model, name: string, change: (table: Table) => Table): Model {
  return { ...model, tables: (model.tables ?? []).map((table) => (table.name === name ? change(table) : table)) };
}
