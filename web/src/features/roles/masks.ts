import type { Schemas } from "../../api/client";
import type { Part } from "../../ui/sentences/sentence";

type Mask = Part<"mask">;
export type With = Mask["with"];
/** A kind of mask as the API describes it: what it fits, what is written with it, what of it may enter totals. */
export type MaskKind = Schemas["MaskKindShape"];

/** The name of the kind a mask is written with. */
export function maskName(mask: With): string {
  return typeof mask === "string" ? mask : (Object.keys(mask)[0] ?? "");
}

/** What is written with a mask, by field. */
export function maskValues(mask: With): Record<string, unknown> {
  return typeof mask === "string" ? {} : (Object.values(mask)[0] as Record<string, unknown>);
}

/** Whether a mask of this kind can stand for values of a type (semantics.md 5.6). */
export function fits(kind: MaskKind, type: string): boolean {
  return (kind.types as string[]).includes(type);
}

/** A mask of a kind with what is written in its fields; what it begins with, where nothing is. */
export function written(kind: MaskKind, values: Record<string, unknown> = {}): With {
  if (kind.fields.length === 0) return kind.name as With;
  return {
    [kind.name]: Object.fromEntries(kind.fields.map((field) => [field.name, values[field.name] ?? field.start])),
  } as unknown as With;
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
