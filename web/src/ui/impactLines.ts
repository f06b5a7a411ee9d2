import type { Schemas } from "../api/client";
import { plural, shownValue } from "./figures";

export type ViewerImpact = Schemas["ViewerImpact"];
export type SharedImpact = Schemas["SharedImpact"];

const MOST_NAMES = 6;

/** Objects by kind, each kind once: "43 columns", "measures energy, downtime". */
export function byKind(objects: string[]): string[] {
  const kinds = new Map<string, string[]>();
  for (const object of objects) {
    const [kind = "", ...rest] = object.split(" ");
    kinds.set(kind, [...(kinds.get(kind) ?? []), rest.join(" ")]);
  }
  return [...kinds].map(([kind, names]) =>
    names.length > MOST_NAMES || kind === "column"
      ? plural(names.length, kind)
      : `${kind}${names.length > 1 ? "s" : ""} ${names.join(", ")}`,
  );
}

/** What is told for people one by one, with those together for whom exactly the same changes. */
export function alike(viewers: ViewerImpact[]): SharedImpact[] {
  const groups = new Map<string, SharedImpact>();
  for (const { login, name, ...changes } of viewers) {
    const { tables, gained, lost, totals, not_known } = changes;
    const key = JSON.stringify([tables, gained, lost, totals, not_known]);
    const group = groups.get(key) ?? { ...changes, people: 0, named: [] };
    group.people += 1;
    group.named.push({ login, name });
    groups.set(key, group);
  }
  return [...groups.values()];
}

/** Figures that become more, or less: `energy 10 → 12`; none counts as nothing. */
export function figuresOf(viewer: SharedImpact, more: boolean): string[] {
  const size = (value: number | null | undefined) => Math.abs(value ?? 0);
  const told = (value: number | null | undefined) => (value == null ? "nothing" : shownValue(value));
  return (viewer.totals ?? [])
    .filter(({ before, after }) => (more ? size(after) > size(before) : size(after) <= size(before)))
    .map(({ measure, before, after }) => `${measure} ${told(before)} → ${told(after)}`);
}
