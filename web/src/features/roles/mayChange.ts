import type { Model, Role, Sentence } from "../../api/client";
import { columnText, columnType, literal } from "../../ui/conditions/clauses";
import type { Node } from "./memberTree";

type Hierarchy = NonNullable<Model["hierarchies"]>[number];

/** The condition that is true for the rows at or beneath a member; null where a blank level leaves none to say. */
export function atOrBeneath(model: Model, hierarchy: Hierarchy, node: Node): string | null {
  const said = (column: string, value: unknown) =>
    value === null
      ? `${columnText(hierarchy.table, column, hierarchy.table)} IS NULL`
      : `${columnText(hierarchy.table, column, hierarchy.table)} = ${literal(value, columnType(model, hierarchy.table, column))}`;
  if (hierarchy.levels) return node.path.map((value, depth) => said(hierarchy.levels?.[depth] ?? "", value)).join(" AND ");
  const key = hierarchy.key ?? "";
  const type = columnType(model, hierarchy.table, key);
  const keys = keysBeneath(node).map((value) => literal(value, type));
  return keys.length === 1 ? said(key, node.path.at(-1)) : `${columnText(hierarchy.table, key, hierarchy.table)} IN (${keys.join(", ")})`;
}

function keysBeneath(node: Node): unknown[] {
  return [node.path.at(-1), ...node.children.flatMap(keysBeneath)];
}

/** The change sentence of a role on a table that lets rows be updated, with its place; -1 where there is none yet. */
function changeAt(role: Role, table: string): number {
  return (role.sentences ?? []).findIndex((sentence) => sentence.change?.table === table && !sentence.off);
}

/** Whether the role already says that these rows may be changed. */
export function mayChange(role: Role, table: string, condition: string): boolean {
  const update = role.sentences?.[changeAt(role, table)]?.change?.update ?? "";
  return update.split(" OR ").some((part) => part === condition || part === `(${condition})`);
}

/** The sentences with these rows open to updates: a change sentence of its own, or one more alternative of the one that is there. */
export function withChange(role: Role, table: string, condition: string): Sentence[] {
  const sentences = role.sentences ?? [];
  const at = changeAt(role, table);
  if (at < 0) return [...sentences, { change: { table, update: condition } }];
  return sentences.map((sentence, place) => {
    if (place !== at || !sentence.change) return sentence;
    const before = sentence.change.update;
    return { ...sentence, change: { ...sentence.change, update: before ? `${before} OR (${condition})` : condition } };
  });
}
