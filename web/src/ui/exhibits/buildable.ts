import type { ModelAnswer, Schemas } from "../../api/client";
import type { Subject } from "../conditions/clauses";
import { columnSubjects } from "../conditions/clauses";

/** What an exhibit can be built from: a model as its keeper has it, or as much of it as exists for a reader. */
export type Buildable = {
  name: string;
  tables: { name: string; label: string }[];
  measures: { name: string; label: string; table: string }[];
  hierarchies: { name: string; label: string; table: string; levels: string[] }[];
  /** The columns a row of a table has or looks up, its own first. */
  subjects: (table: string) => Subject[];
};

/** A model of the draft, whole. */
export function buildableOf(model: ModelAnswer): Buildable {
  return {
    name: model.document.name,
    tables: (model.document.tables ?? []).map((table) => ({ name: table.name, label: table.label ?? table.name })),
    measures: (model.document.measures ?? []).map((item) => ({ name: item.name, label: item.label ?? item.name, table: item.table })),
    hierarchies: (model.document.hierarchies ?? []).flatMap((item) =>
      item.levels ? [{ name: item.name, label: item.label ?? item.name, table: item.table, levels: item.levels }] : [],
    ),
    subjects: (table) => columnSubjects(model.document, model.reaches, table),
  };
}

/** What exists of a model for who is signed in. */
export function buildableOfOwn(model: Schemas["OwnModel"]): Buildable {
  return {
    name: model.name,
    tables: model.tables,
    measures: model.measures,
    hierarchies: model.hierarchies,
    subjects: (name) => {
      const table = model.tables.find((item) => item.name === name);
      const reached = table ? [table, ...model.tables.filter((item) => table.lookups.includes(item.name))] : [];
      return reached.flatMap((item) =>
        item.columns.map((column) => ({
          table: item.name,
          column: column.name,
          type: column.type,
          many: false,
          label: item.name === name ? column.name : `${item.name}.${column.name}`,
        })),
      );
    },
  };
}
