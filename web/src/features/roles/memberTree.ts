import type { Schemas } from "../../api/client";
import type { Part } from "../../ui/sentences/sentence";

export type Members = Part<"members">;
export type Entry = NonNullable<Members["list"]>[number];
export type Item = Entry["path"][number];

/** A member with those beneath it; `rows` counts all the data, `seen` what the viewer looked at sees. */
export type Node = { key: string; path: unknown[]; name: string; rows: number; seen: number | null; children: Node[] };

export function pathKey(path: unknown[]): string {
  return JSON.stringify(path);
}

/** Members as a tree; for parent hierarchies an answer's paths are chains of keys. */
export function treeOf(all: Schemas["Member"][], seen: Schemas["Member"][] | null): Node[] {
  const counts = seen && new Map(seen.map((member) => [pathKey(member.path), member.rows]));
  const nodes = new Map<string, Node>();
  const tops: Node[] = [];
  for (const member of all) {
    const key = pathKey(member.path);
    const node: Node = {
      key,
      path: member.path,
      name: member.path.at(-1) === null ? "(blank)" : String(member.path.at(-1)),
      rows: member.rows,
      seen: counts ? (counts.get(key) ?? 0) : null,
      children: [],
    };
    nodes.set(key, node);
    const above = nodes.get(pathKey(member.path.slice(0, -1)));
    if (above) above.children.push(node);
    else tops.push(node);
  }
  return tops;
}

/** The path by which a sentence lists a member: the level values, or the key alone in a hierarchy of parents. */
export function listedPath(path: unknown[], parents: boolean): Item[] {
  return (parents ? path.slice(-1) : path) as Item[];
}

export function isViewer(item: Item): item is { viewer: string } {
  return typeof item === "object" && item !== null;
}

export type Said = "see" | "not" | "inherits";

export function saidOf(sentence: Members, path: Item[]): Said {
  const entries = (sentence.list ?? []).filter((entry) => pathKey(entry.path) === pathKey(path));
  if (entries.some((entry) => !entry.see)) return "not";
  return entries.length > 0 ? "see" : "inherits";
}

export function withSaid(sentence: Members, path: Item[], said: Said): Members {
  const rest = (sentence.list ?? []).filter((entry) => pathKey(entry.path) !== pathKey(path));
  return { ...sentence, list: said === "inherits" ? rest : [...rest, { path, see: said === "see" }] };
}

/** Whether a member is seen by what the sentence lists of it and above it; attributes stand for the viewer's values. */
export function isSeen(sentence: Members, path: unknown[], parents: boolean, valuesOf: (name: string) => string[] | null): boolean {
  for (let depth = path.length; depth > 0; depth -= 1) {
    const here = path.slice(0, depth);
    const entries = (sentence.list ?? []).filter((entry) => matches(entry, parents ? here.slice(-1) : here, valuesOf));
    if (entries.some((entry) => !entry.see)) return false;
    if (entries.length > 0) return true;
  }
  return sentence.unlisted === "visible";
}

function matches(entry: Entry, path: unknown[], valuesOf: (name: string) => string[] | null): boolean {
  return (
    entry.path.length === path.length &&
    entry.path.every((item, index) => {
      const value = path[index];
      if (!isViewer(item)) return item === null || value === null ? item === value : String(item) === String(value);
      const values = valuesOf(item.viewer);
      return values === null ? !entry.see : value !== null && values.includes(String(value));
    })
  );
}

export function shownPath(path: Item[]): string {
  return path.map((item) => (isViewer(item) ? `the viewer’s ${item.viewer}` : String(item))).join(" › ");
}
