import type { Part } from "./sentence";

type Mask = Part<"mask">;
export type With = Mask["with"];
export type MaskKind = "withhold" | "fixed" | "hash" | "keep" | "round" | "period";

export const KIND_LABELS: Record<MaskKind, string> = {
  withhold: "nothing",
  fixed: "a fixed text",
  hash: "a code",
  keep: "some characters",
  round: "rounded",
  period: "the period",
};

export function maskKind(mask: With): MaskKind {
  return typeof mask === "string" ? mask : (Object.keys(mask)[0] as MaskKind);
}

/** Whether a mask of this kind can stand for values of a type (semantics.md 5.5). */
export function fits(kind: MaskKind, type: string): boolean {
  if (kind === "fixed" || kind === "keep") return type === "text";
  if (kind === "round") return type === "integer" || type === "number";
  if (kind === "period") return type === "date";
  return true;
}

/** A mask of this kind to begin with. */
export function fresh(kind: MaskKind): With {
  switch (kind) {
    case "fixed":
      return { fixed: { text: "withheld" } };
    case "keep":
      return { keep: { first: 0, last: 3, fill: "•" } };
    case "round":
      return { round: { to: 100 } };
    case "period":
      return { period: { to: "month" } };
    default:
      return kind;
  }
}

/** What a mask shows, in words. */
export function shownAs(mask: With): string {
  if (mask === "withhold") return "shows nothing";
  if (mask === "hash") return "shows a keyed hash";
  if ("fixed" in mask) return `shows “${mask.fixed.text}”`;
  if ("round" in mask) return `is rounded to ${String(mask.round.to)}`;
  if ("period" in mask) return `shows the ${mask.period.to} only`;
  const ends = [kept("first", mask.keep.first ?? 0), kept("last", mask.keep.last ?? 0)].filter(Boolean);
  return ends.length > 0 ? `keeps ${ends.join(" and ")}` : "keeps its length only";
}

function kept(end: string, count: number): string {
  return count === 0 ? "" : count === 1 ? `the ${end} character` : `the ${end} ${String(count)} characters`;
}

/** What enters totals, in words. */
export function inTotals(how: Mask["in_totals"]): string {
  if (how === "shown") return "in totals as shown";
  return how && how !== "no" ? `in totals in full, in lines of at least ${String(how.full.at_least)} rows` : "in no total";
}
