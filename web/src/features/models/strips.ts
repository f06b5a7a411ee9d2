import type { Model, Schemas } from "../../api/client";
import { splitName } from "../../ui/fullNames";

export type Edge = { many: string; one: string; up: boolean; from: string };
export type Strip = { title: string; tables: string[] };

export function edgesOf(model: Model): Edge[] {
  return (model.relationships ?? []).map((item) => ({
    many: splitName(item.from)[0],
    one: splitName(item.to)[0],
    up: item.carries === "down_and_up",
    from: item.from,
  }));
}

/** Tables in strips: what is looked up from furthest above, facts below, what stands alone last. */
export function stripsOf(model: Model): Strip[] {
  const names = (model.tables ?? []).map((table) => table.name);
  const edges = edgesOf(model);
  const heights = new Map<string, number>();
  const height = (name: string, above: string[]): number => {
    const known = heights.get(name);
    if (known !== undefined) return known;
    if (above.includes(name)) return 0;
    const below = edges.filter((edge) => edge.one === name).map((edge) => height(edge.many, [...above, name]) + 1);
    const found = Math.max(0, ...below);
    heights.set(name, found);
    return found;
  };
  for (const name of names) height(name, []);
  const related = new Set(edges.flatMap((edge) => [edge.many, edge.one]));
  const most = Math.max(0, ...heights.values());
  const strips: Strip[] = [];
  for (let level = most; level >= 0; level--) {
    const tables = names.filter((name) => related.has(name) && heights.get(name) === level);
    if (tables.length > 0)
      strips.push({
        title: level === 0 ? "facts" : level === 1 ? "lookups" : "lookups of lookups",
        tables: ordered(tables, strips.at(-1)?.tables ?? [], edges),
      });
  }
  const alone = names.filter((name) => !related.has(name));
  if (alone.length > 0) strips.push({ title: "standing alone", tables: alone });
  return strips;
}

/** A strip's tables, each near what it is related to in the strip above. */
function ordered(tables: string[], above: string[], edges: Edge[]): string[] {
  const middle = (name: string) => {
    const places = edges
      .filter((edge) => edge.many === name && above.includes(edge.one))
      .map((edge) => above.indexOf(edge.one) / Math.max(1, above.length));
    return places.length > 0 ? places.reduce((sum, place) => sum + place, 0) / places.length : 0.5;
  };
  return [...tables].sort((one, other) => middle(one) - middle(other));
}

export type Restrictions = {
  /** Roles that restrict a table by a sentence of their own. */
  set: Map<string, string[]>;
  /** Tables reached by a restriction, with the relationships it runs along (`many.column`). */
  reached: Set<string>;
  along: Set<string>;
  /** Facts that a restricting role leaves whole. */
  open: Map<string, string[]>;
};

/** Where the sentences of roles restrict rows, and where that runs (semantics.md 6.1). */
export function restrictionsOf(model: Model, roles: Schemas["Role"][]): Restrictions {
  const edges = edgesOf(model);
  const found: Restrictions = { set: new Map(), reached: new Set(), along: new Set(), open: new Map() };
  const facts = (model.tables ?? [])
    .map((table) => table.name)
    .filter((name) => !edges.some((edge) => edge.one === name))
    .filter((name) => edges.some((edge) => edge.many === name) || (model.measures ?? []).some((measure) => measure.table === name));
  for (const role of roles) {
    const own = new Set<string>();
    const through = new Set<string>();
    for (const sentence of role.sentences ?? []) {
      const hierarchy = (model.hierarchies ?? []).find((item) => item.name === sentence.members?.hierarchy);
      const table = sentence.rows?.table ?? sentence.entitlement?.table ?? hierarchy?.table;
      if (table) own.add(table);
      if (sentence.entitlement) through.add(sentence.entitlement.through);
    }
    const reached = new Set(own);
    const waiting = [...own];
    for (let name = waiting.pop(); name !== undefined; name = waiting.pop()) {
      for (const edge of edges) {
        const next = edge.one === name ? edge.many : edge.many === name && edge.up ? edge.one : null;
        if (next === null) continue;
        found.along.add(edge.from);
        if (!reached.has(next)) {
          reached.add(next);
          waiting.push(next);
        }
      }
    }
    for (const name of own) found.set.set(name, [...(found.set.get(name) ?? []), role.label ?? role.name]);
    for (const name of reached) found.reached.add(name);
    if (own.size > 0 && role.kind === "grant") {
      for (const fact of facts) {
        if (!reached.has(fact) && !through.has(fact)) found.open.set(fact, [...(found.open.get(fact) ?? []), role.label ?? role.name]);
      }
    }
  }
  return found;
}
