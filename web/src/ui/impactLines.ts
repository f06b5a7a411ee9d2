import type { Schemas } from "../api/client";
import { plural, shownValue } from "./figures";

export type ViewerImpact = Schemas["ViewerImpact"];

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

/** People for whom exactly the same changes stand in one line. */
export function alike(viewers: ViewerImpact[]): ViewerImpact[][] {
  const groups = new Map<string, ViewerImpact[]>();
  for (const viewer of viewers) {
    const key = JSON.stringify([viewer.tables, viewer.gained, viewer.lost, viewer.totals, viewer.not_known]);
    groups.set(key, [...(groups.get(key) ?? []), viewer]);
  }
  return [...groups.values()];
}

/** Figures that become more, or less: `energy 10 → 12`; none counts as nothing. */
export function figuresOf(viewer: ViewerImpact, more: boolean): string[] {
  const size = (value: number | null | undefined) => Math.abs(value ?? 0);
  const told = (value: number | null | undefined) => (value == null ? "nothing" : shownValue(value));
  return (viewer.totals ?? [])
    .filter(({ before, after }) => (more ? size(after) > size(before) : size(after) <= size(before)))
    .map(({ measure, before, after }) => `${measure} ${told(before)} → ${told(after)}`);
}
