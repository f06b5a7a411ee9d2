import { expect, test } from "vitest";
import type { Sentence } from "../src/api/client";
import { sentenceInWords } from "../src/ui/sentences/inWords";

test.each<[Sentence, string]>([
  [{ rows: { table: "site", where: "area IN viewer.areas" } }, "site where area IN viewer.areas"],
  [{ rows: { table: "site", where: "TRUE" }, off: true }, "site where TRUE (switched off)"],
  [
    { entitlement: { table: "site", through: "scope", person: {}, match: {} } } as unknown as Sentence,
    "site that scope names for the person",
  ],
  [
    { entitlement: { table: "site", through: "scope", where: "until >= TODAY()" } } as unknown as Sentence,
    "site that scope names for the person where until >= TODAY()",
  ],
  [
    {
      members: {
        hierarchy: "places",
        list: [
          { path: ["fell"], see: true },
          { path: [{ viewer: "area" }, 7], see: false },
        ],
      },
    } as unknown as Sentence,
    "members of places: see fell, not viewer.area › 7, others hidden, own totals",
  ],
  [
    { members: { hierarchy: "places", unlisted: "seen", totals: "full" } } as unknown as Sentence,
    "members of places: others seen, full totals",
  ],
  [{ objects: { hide: ["tag:money"] } }, "hide tag:money; all else visible"],
  [{ objects: { default: "hidden", show: ["table:site", "column:site.id"] } }, "show table:site, column:site.id; all else hidden"],
  [{ mask: { column: "site.rent", with: "blank" } } as unknown as Sentence, "site.rent masked: blank, in no total"],
  [
    {
      mask: { column: "site.rent", with: { keep: { first: 0, last: 3 } }, when: "area = 'fell'", in_totals: "shown" },
    } as unknown as Sentence,
    "site.rent masked: keep first 0, last 3 when area = 'fell', so in totals too",
  ],
  [
    { mask: { column: "site.rent", with: "blank", in_totals: { full: { at_least: 5 } } } } as unknown as Sentence,
    "site.rent masked: blank, true in totals of 5 rows or more",
  ],
  [{ beneath: { tables: ["run"] } } as unknown as Sentence, "run beneath numbers: rows listed"],
  [
    { beneath: { tables: ["run", "site"], rows: false, limit: 10, only_under: 100, export: true } } as unknown as Sentence,
    "run, site beneath numbers: no rows listed, at most 10, only under 100, export",
  ],
  [{ change: { table: "scope" } } as unknown as Sentence, "changes of scope: none"],
  [
    { change: { table: "scope", insert: "TRUE", update: "area = 'fell'", delete: "FALSE" } } as unknown as Sentence,
    "changes of scope: insert where TRUE; update where area = 'fell'; delete where FALSE",
  ],
  [{ pages: { actions: ["open"] } }, "open any page"],
  [{ pages: { actions: ["open", "export"], on: ["page:output", "shelf:work"] } }, "open, export page:output, shelf:work"],
])("%o in one line", (sentence, words) => {
  expect(sentenceInWords(sentence)).toBe(words);
});
