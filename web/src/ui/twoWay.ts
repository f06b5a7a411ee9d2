import type { Schemas } from "../api/client";
import type { Key } from "./chartLines";
import { sides } from "./exhibits/exhibits";

type Totals = Schemas["TotalsAnswer"];

/** A line or column of a two-way table: the values on the way to it, and what is beneath it. */
export type Branch = { key: Key; beneath: Branch[] };

/** A two-way table laid out: what runs down and across, and the values where they meet; shorter keys are sums. */
export type Crossed = {
  down: Branch[];
  across: Branch[];
  /** The values of the measures; undefined where nothing meets. */
  at: (down: Key, across: Key) => unknown[] | undefined;
  /** Whether a sum of a measure is withheld. */
  withheld: (down: Key, across: Key, measure: string) => boolean;
};

const written = (down: Key, across: Key) => JSON.stringify([down, across]);

/** The answer of a two-way table and those of its margins, put together. */
export function crossed(exhibit: Schemas["Exhibit"], totals: Totals, margins: Totals[]): Crossed {
  const { down } = sides(exhibit);
  const cells = new Map<string, unknown[]>();
  const kept = new Set<string>();
  const take = (answer: Totals, depth: number) => {
    for (const line of answer.lines) {
      const key = line.key as Key;
      if (key.length >= depth || answer === totals) cells.set(written(key.slice(0, depth), key.slice(depth)), line.values);
    }
    for (const [key, measure] of answer.withheld as [Key, string][]) {
      kept.add(`${written(key.slice(0, depth), key.slice(depth))}${measure}`);
    }
  };
  for (const [depth, margin] of margins.entries()) take(margin, depth);
  take(totals, down.length);
  cells.set(written([], []), totals.total);
  const full = totals.lines.map((line) => line.key as Key).filter((key) => key.length === totals.by.length);
  return {
    down: branches(full.map((key) => key.slice(0, down.length))),
    across: branches(full.map((key) => key.slice(down.length)).sort(byKey)),
    at: (one, other) => cells.get(written(one, other)),
    withheld: (one, other, measure) => kept.has(`${written(one, other)}${measure}`),
  };
}

/** Keys as a tree, in the order they come. */
function branches(keys: Key[], depth = 1): Branch[] {
  const groups = new Map<string, Key[]>();
  for (const key of keys) {
    const name = JSON.stringify(key.slice(0, depth));
    groups.set(name, [...(groups.get(name) ?? []), key]);
  }
  return [...groups.values()].map((group) => ({
    key: (group[0] ?? []).slice(0, depth),
    beneath: (group[0]?.length ?? 0) > depth ? branches(group, depth + 1) : [],
  }));
}

/** What is shown of a tree: each branch, and what is beneath those that are unfolded. */
export function unfolded(tree: Branch[], open: ReadonlySet<string>): Branch[] {
  return tree.flatMap((branch) => [branch, ...(open.has(JSON.stringify(branch.key)) ? unfolded(branch.beneath, open) : [])]);
}

/** Members in the order they are read: figures by size, texts by letter, blank last. */
export function inOrder(one: unknown, other: unknown): number {
  if (one === other) return 0;
  if (one === null) return 1;
  if (other === null) return -1;
  return typeof one === "number" && typeof other === "number" ? one - other : String(one).localeCompare(String(other));
}

function byKey(one: Key, other: Key): number {
  for (const [index, part] of one.entries()) {
    const order = inOrder(part, other[index]);
    if (order !== 0) return order;
  }
  return 0;
}
