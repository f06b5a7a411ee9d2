import type { ModelAnswer, Role, Schemas, Sentence } from "../../api/client";
import type { Attribute } from "../conditions/ClausePicker";

export type EffectAnswer = Schemas["EffectAnswer"];
/** The kinds of sentence: whatever a sentence of the API can be, but for the notes beside it. */
export type Kind = Exclude<keyof Sentence, "label" | "about" | "reason" | "off">;
const EVERY: Record<Kind, true> = {
  rows: true,
  entitlement: true,
  members: true,
  objects: true,
  mask: true,
  beneath: true,
  change: true,
  pages: true,
};
export const KINDS = Object.keys(EVERY) as Kind[];
export type Part<K extends Kind> = NonNullable<Sentence[K]>;

/** What an editor of a sentence works with: the role as it is being edited, the model, the people, what the edit does. */
export type Editing = {
  role: Role;
  place: number;
  model: ModelAnswer;
  attributes: Attribute[];
  viewerValues: (name: string) => string | null;
  effect: EffectAnswer | undefined;
  /** Changes the other sentences of the role, where an editor writes one beside its own. */
  changeRole?: (sentences: Sentence[]) => void;
};

export function kindOf(sentence: Sentence): Kind {
  return KINDS.find((kind) => sentence[kind]) ?? "rows";
}

/** The table whose rows a sentence decides, if it decides rows. */
export function decidedTable(sentence: Sentence, model: ModelAnswer | undefined): string | null {
  if (sentence.off) return null;
  if (sentence.rows) return sentence.rows.table;
  if (sentence.entitlement) return sentence.entitlement.table;
  const hierarchy = model?.document.hierarchies?.find((item) => item.name === sentence.members?.hierarchy);
  return hierarchy?.table ?? null;
}

/** What cannot be saved yet, in a sentence; null where the sentence is complete. */
export function unfinished(sentence: Sentence): string | null {
  if (sentence.off) return null;
  if (sentence.rows && sentence.rows.where.trim() === "") return "A rows sentence does not say which rows yet.";
  const entitlement = sentence.entitlement;
  if (entitlement && (!entitlement.through || !entitlement.person || Object.keys(entitlement.match).length === 0))
    return "An entitlement sentence needs the table that lists people, the column that names them, and one matching column.";
  if (sentence.members && !sentence.members.hierarchy) return "A members sentence needs a hierarchy.";
  if (sentence.mask && !sentence.mask.column) return "A mask needs a column.";
  if (sentence.beneath && sentence.beneath.tables.length === 0) return "A sentence on rows beneath needs a table.";
  if (sentence.pages?.on?.length === 0 && !sentence.pages.where)
    return "A pages sentence does not say which pages yet: choose some, or “any page”.";
  return null;
}

/** A role as far as it is finished, with the place each of its sentences has in what is being edited. */
export function finishedPart(role: Role): { role: Role; places: number[] } {
  const sentences = role.sentences ?? [];
  const places = sentences.map((_, place) => place).filter((place) => unfinished(sentences[place] as Sentence) === null);
  return { role: { ...role, sentences: places.map((place) => sentences[place] as Sentence) }, places };
}
