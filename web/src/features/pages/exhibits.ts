import type { ModelAnswer, Schemas } from "../../api/client";
import { columnSubjects, type Subject, subjectKey } from "../../ui/conditions/clauses";

type Exhibit = Schemas["Exhibit"];

/** The columns every one of the tables has or reaches. */
export function subjectsOf(model: ModelAnswer, tables: string[]): Subject[] {
  const [first, ...others] = [...new Set(tables)].filter(Boolean);
  if (!first) return [];
  const reached = (table: string) => columnSubjects(model.document, model.reaches, table);
  const shared = others.map((table) => new Set(reached(table).map(subjectKey)));
  return reached(first).filter((subject) => shared.every((keys) => keys.has(subjectKey(subject))));
}

/** The exhibit as another kind: what still fits is kept. */
export function asKind(exhibit: Exhibit, kind: Exhibit["kind"], model: ModelAnswer): Exhibit {
  if (kind === "list") {
    const table =
      exhibit.table ??
      model.document.measures?.find((item) => item.name === exhibit.measures?.[0])?.table ??
      model.document.tables?.[0]?.name ??
      null;
    return { ...exhibit, kind, table, by: [], measures: [], colour: null };
  }
  const by = kind === "figure" ? [] : (exhibit.by ?? []).slice(0, kind === "two_way" ? 2 : 1);
  const listed = exhibit.kind === "list";
  const measures = exhibit.measures?.length ? exhibit.measures : (model.document.measures ?? []).slice(0, 1).map((item) => item.name);
  return {
    ...exhibit,
    kind,
    by,
    measures,
    table: null,
    columns: [],
    order: [],
    limit: null,
    where: listed ? null : exhibit.where,
    colour: kind === "bar" || kind === "line" ? exhibit.colour : null,
  };
}
