import type { Schemas } from "../../api/client";

type Line = Schemas["ReviewLineEntry"];

/** Whether a line waits for an answer. */
export function isOpen(line: Line): boolean {
  return line.answer === null || line.answer === "ask";
}

/** How and since when something is held. */
export function held(line: Line): string {
  const { held: ways, since, remembered_since } = line.facts;
  return `${ways.join("; ")}, ${since ? `since ${since}` : `since before ${remembered_since}`}`;
}

/** An answer in words. */
export function answerWord(line: Line): string {
  if (line.answer === "keep") return "kept";
  if (line.answer === "take") return line.task ? "to be taken away" : "taken away";
  if (line.answer === "until") return `until ${line.until}`;
  return "asked";
}
