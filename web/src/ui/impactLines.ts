import type { Schemas } from "../api/client";
import { plural } from "./figures";

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
    const key = JSON.stringify([viewer.tables, viewer.gained, viewer.lost]);
    groups.set(key, [...(groups.get(key) ?? []), viewer]);
  }
  return [...groups.values()];
}
