import type { Schemas } from "../../api/client";
import { type Subject, subjectKey } from "../conditions/clauses";
import type { Buildable } from "./buildable";

type Exhibit = Schemas["Exhibit"];

/** The columns every one of the tables has or reaches. */
export function subjectsOf(model: Buildable, tables: string[]): Subject[] {
  const [first, ...others] = [...new Set(tables)].filter(Boolean);
  if (!first) return [];
  const shared = others.map((table) => new Set(model.subjects(table).map(subjectKey)));
  return model.subjects(first).filter((subject) => shared.every((keys) => keys.has(subjectKey(subject))));
}

/** A new exhibit: the first measure as a figure, or rows where there is no measure. */
export function freshExhibit(model: Buildable): Exhibit {
  const measure = model.measures[0];
  const empty = { by: [], measures: [], columns: [], order: [], totals: false };
  return measure
    ? { ...empty, title: measure.label, kind: "figure", measures: [measure.name], absent: "close" }
    : { ...empty, title: "Rows", kind: "list", table: model.tables[0]?.name ?? null, absent: "close" };
}

/** Whether a kind is drawn, each mark by a column; it can be looked at as a table too. */
export function isChart(kind: Exhibit["kind"]): kind is "bar" | "line" | "treemap" {
  return kind === "bar" || kind === "line" || kind === "treemap";
}

/** The exhibit as another kind: what still fits is kept. */
export function asKind(exhibit: Exhibit, kind: Exhibit["kind"], model: Buildable): Exhibit {
  if (kind === "list") {
    const table =
      exhibit.table ?? model.measures.find((item) => item.name === exhibit.measures?.[0])?.table ?? model.tables[0]?.name ?? null;
    return { ...exhibit, kind, table, by: [], measures: [], colour: null, across: null, totals: false };
  }
  const most = kind === "figure" ? 0 : kind === "two_way" ? 8 : 1;
  const listed = exhibit.kind === "list";
  const measures = exhibit.measures?.length ? exhibit.measures : model.measures.slice(0, 1).map((item) => item.name);
  return {
    ...exhibit,
    kind,
    by: (exhibit.by ?? []).slice(0, most),
    measures,
    table: null,
    columns: [],
    order: [],
    limit: null,
    where: listed ? null : exhibit.where,
    colour: isChart(kind) ? exhibit.colour : null,
    across: kind === "two_way" ? exhibit.across : null,
    totals: kind === "two_way" && (exhibit.totals ?? false),
  };
}

/** The columns of a two-way table that run down, and those that run across. */
export function sides(exhibit: Exhibit): { down: string[]; across: string[] } {
  const by = exhibit.by ?? [];
  const across = Math.min(exhibit.across ?? 1, Math.max(by.length - 1, 0));
  return { down: by.slice(0, by.length - across), across: by.slice(by.length - across) };
}

/** The exhibit with other columns down and across. */
export function withSides(exhibit: Exhibit, down: string[], across: string[]): Exhibit {
  return { ...exhibit, by: [...down, ...across], across: across.length > 1 ? across.length : null };
}

/** The exhibits with the one at a place moved by one; the same where there is no such place. */
export function moved(exhibits: Exhibit[], place: number, by: -1 | 1): Exhibit[] {
  const to = place + by;
  const [one, other] = [exhibits[place], exhibits[to]];
  if (!one || !other) return exhibits;
  return exhibits.map((item, index) => (index === place ? other : index === to ? one : item));
}

/** How much of the grid an exhibit takes. */
export function slotWidth(exhibit: Exhibit): string {
  if (exhibit.width) return `wide-${exhibit.width}`;
  return exhibit.kind === "figure" ? "wide-1" : exhibit.kind === "list" || exhibit.kind === "two_way" ? "wide-3" : "wide-half";
}

type Made = Schemas["Made"];

/** The exhibit with one more expression: a measure it shows, or a column it is set out by. */
export function withMade(exhibit: Exhibit, what: "measure" | "column", expression: Omit<Made, "as">): Exhibit {
  const taken = new Set((exhibit.made ?? []).map((item) => item.as));
  const word = what === "measure" ? "figure" : "part";
  const number = Array.from({ length: taken.size + 1 }, (_, index) => index + 1).find((index) => !taken.has(`${word} ${index}`)) ?? 1;
  const name = `${word} ${number}`;
  const made = [...(exhibit.made ?? []), { ...expression, as: name }];
  if (what === "measure") return { ...exhibit, made, measures: [...(exhibit.measures ?? []), name] };
  const by = exhibit.by ?? [];
  return { ...exhibit, made, by: exhibit.kind === "two_way" ? [name, ...by] : [name] };
}

/** The exhibit without an expression, and without what it stands in. */
export function withoutMade(exhibit: Exhibit, name: string): Exhibit {
  const other = (item: string) => item !== name;
  return {
    ...exhibit,
    made: (exhibit.made ?? []).filter((item) => item.as !== name),
    measures: (exhibit.measures ?? []).filter(other),
    by: (exhibit.by ?? []).filter(other),
    order: (exhibit.order ?? []).filter((item) => item.replace(/^-/, "") !== name),
    colour: exhibit.colour === name ? null : exhibit.colour,
  };
}

/** The exhibit with another name for an expression, wherever it stands; a name that is taken or empty changes nothing. */
export function renamedMade(exhibit: Exhibit, place: number, name: string): Exhibit {
  const made = exhibit.made ?? [];
  const old = made[place]?.as;
  if (old === undefined || name === "" || made.some((item, index) => index !== place && item.as === name)) return exhibit;
  const meant = (item: string) => (item === old ? name : item === `-${old}` ? `-${name}` : item);
  return {
    ...exhibit,
    made: made.map((item, index) => (index === place ? { ...item, as: name } : item)),
    measures: (exhibit.measures ?? []).map(meant),
    by: (exhibit.by ?? []).map(meant),
    order: (exhibit.order ?? []).map(meant),
    colour: exhibit.colour ? meant(exhibit.colour) : exhibit.colour,
  };
}
