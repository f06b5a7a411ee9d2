import type { Schemas } from "../../api/client";

export type Totals = Schemas["TotalsAnswer"];
export type Answer = Schemas["ViewerAnswers"]["answers"][number];

export function isTotals(answer: Answer | undefined): answer is Totals {
  return answer !== undefined && "lines" in answer;
}

export function lineKey(key: unknown[]): string {
  return JSON.stringify(key);
}

/** Lines of an answer by key; subtotals and the grand total have shorter keys. */
export function indexed(answer: Answer | undefined): Map<string, unknown[]> {
  if (!isTotals(answer)) return new Map();
  const entries: [string, unknown[]][] = answer.lines.map((line) => [lineKey(line.key), line.values]);
  if (answer.by.length > 0) entries.push([lineKey([]), answer.total]);
  return new Map(entries);
}

/** What stands for all data where it is no one set of rows: the lines of any of the viewers. */
export function anyLines(answers: (Answer | undefined)[]): Totals | undefined {
  const found = answers.filter(isTotals);
  const first = found[0];
  if (!first) return undefined;
  const lines = new Map(found.flatMap((answer) => answer.lines.map((line) => [lineKey(line.key), line] as const)));
  return { ...first, lines: [...lines.entries()].sort(([one], [other]) => (one < other ? -1 : 1)).map(([, line]) => line) };
}

/** The lines of all the data in reading order: each group before what is in it, the total last. */
export function readingOrder(answer: Answer | undefined): { key: unknown[]; depth: number }[] {
  if (!isTotals(answer)) return [];
  const full = answer.by.length;
  const groups = answer.lines.filter((line) => line.key.length < full);
  const ordered: { key: unknown[]; depth: number }[] = [];
  const seen = new Set<string>();
  for (const line of answer.lines.filter((item) => item.key.length === full)) {
    for (let depth = 1; depth < full; depth++) {
      const prefix = line.key.slice(0, depth);
      const name = lineKey(prefix);
      if (!seen.has(name) && groups.some((group) => lineKey(group.key) === name)) {
        seen.add(name);
        ordered.push({ key: prefix, depth });
      }
    }
    ordered.push({ key: line.key, depth: full });
  }
  return full > 0 ? [...ordered, { key: [], depth: 0 }] : ordered;
}
