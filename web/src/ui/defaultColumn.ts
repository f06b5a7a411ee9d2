import type { ModelAnswer } from "../api/client";
import { columnSubjects, subjectKey } from "./conditions/clauses";

/**
 * A column to part a measure by, to begin with: the top level of a hierarchy that reaches its table, else the first text column
 * of a lookup, else of the table itself. Empty where there is none.
 */
export function defaultColumn(model: ModelAnswer, measure: string | undefined): string {
  const table = model.document.measures?.find((item) => item.name === measure)?.table ?? "";
  const reached = [table, ...Object.keys(model.reaches).filter((name) => model.reaches[name]?.includes(table))];
  const level = (model.document.hierarchies ?? [])
    .filter((hierarchy) => reached.includes(hierarchy.table))
    .flatMap((hierarchy) => (hierarchy.levels ?? []).slice(0, 1).map((name) => `${hierarchy.table}.${name}`))[0];
  if (level) return level;
  const subjects = columnSubjects(model.document, model.reaches, table);
  const found =
    subjects.find((item) => item.table !== table && item.type === "text") ?? subjects.find((item) => item.type === "text") ?? subjects[0];
  return found ? subjectKey(found) : "";
}
