import { describe, expect, test } from "vitest";
import keywords from "../../tests/cases/keywords.json";
import vocabulary from "../../tests/cases/vocabulary.json";
import type { ModelAnswer, Sentence } from "../src/api/client";
import { fits, inTotals, type MaskKind, maskName, maskValues, shownAs, written } from "../src/features/roles/masks";
import { KEYWORDS } from "../src/ui/conditions/clauses";
import { withSelected } from "../src/ui/PageFilters";
import { decidedTable, kindOf, unfinished } from "../src/ui/sentences/sentence";

const sentence = (part: object) => part as Sentence;

describe("a sentence", () => {
  test.each<[object, string | null]>([
    [{ rows: { table: "site", where: "TRUE" } }, null],
    [{ rows: { table: "site", where: " " } }, "A rows sentence does not say which rows yet."],
    [{ off: true, rows: { table: "site", where: "" } }, null],
    [{ entitlement: { table: "site", through: "scope", person: "login", match: { id: "site_id" } } }, null],
    [
      { entitlement: { table: "site", through: "scope", person: "login", match: {} } },
      "An entitlement sentence needs the table that lists people, the column that names them, and one matching column.",
    ],
    [{ members: { hierarchy: "" } }, "A members sentence needs a hierarchy."],
    [{ mask: { column: "", with: "hash" } }, "A mask needs a column."],
    [{ beneath: { tables: [] } }, "A sentence on rows beneath needs a table."],
    [{ objects: { hide: [] } }, null],
  ])("%j: %o", (part, fault) => {
    expect(unfinished(sentence(part))).toBe(fault);
  });

  test("decides the rows of its table, of its hierarchy's, or of none", () => {
    const model = { document: { hierarchies: [{ name: "place", table: "site" }] } } as unknown as ModelAnswer;
    const decides = (part: object) => decidedTable(sentence(part), model);
    expect(decides({ rows: { table: "run", where: "TRUE" } })).toBe("run");
    expect(decides({ entitlement: { table: "mill" } })).toBe("mill");
    expect(decides({ members: { hierarchy: "place" } })).toBe("site");
    expect(decides({ objects: { hide: [] } })).toBeNull();
    expect(decides({ off: true, rows: { table: "run", where: "TRUE" } })).toBeNull();
  });

  test("is of the kind it has", () => {
    expect(kindOf(sentence({ mask: { column: "site.rent" } }))).toBe("mask");
    expect(kindOf(sentence({ pages: { actions: ["open"] }, reason: "asked" }))).toBe("pages");
  });
});

describe("a mask", () => {
  const kinds = vocabulary.masks as MaskKind[];

  test.each(kinds)("$name begins as one of its kind, and is written with what its fields hold", (kind) => {
    expect(maskName(written(kind))).toBe(kind.name);
    const values = Object.fromEntries(kind.fields.map((field) => [field.name, field.choices.at(-1) ?? field.start]));
    expect(maskValues(written(kind, values))).toEqual(values);
  });

  test.each([
    ["text", ["withhold", "fixed", "hash", "keep"]],
    ["number", ["withhold", "hash", "round"]],
    ["integer", ["withhold", "hash", "round"]],
    ["date", ["withhold", "hash", "period"]],
    ["boolean", ["withhold", "hash"]],
  ])("for %s can be %j (5.6)", (type, fitting) => {
    expect(kinds.filter((kind) => fits(kind, type)).map((kind) => kind.name)).toEqual(fitting);
  });

  test("is told in words", () => {
    expect(kinds.map((kind) => shownAs(written(kind)))).toEqual([
      "shows nothing",
      "shows “withheld”",
      "shows a keyed hash",
      "keeps the last 3 characters",
      "shows the month only",
      "is rounded to 100",
    ]);
    expect(shownAs({ keep: { first: 1, last: 0, fill: "•" } })).toBe("keeps the first character");
    expect(shownAs({ keep: { first: 0, last: 0, fill: "•" } })).toBe("keeps its length only");
    expect([inTotals("no"), inTotals("shown"), inTotals({ full: { at_least: 5 } })]).toEqual([
      "in no total",
      "in totals as shown",
      "in totals in full, in lines of at least 5 rows",
    ]);
  });
});

describe("selecting a mark of an exhibit", () => {
  const shelf = { column: "site.area", values: ["fell"], from_exhibit: null };

  test("narrows by it, in the place of what was selected there before", () => {
    const once = withSelected([shelf], 0, "site.status", "open");
    const again = withSelected(once, 0, "site.status", "closed");
    expect(again).toEqual([shelf, { column: "site.status", values: ["closed"], from_exhibit: 0 }]);
  });

  test("again lets it go", () => {
    const once = withSelected([shelf], 0, "site.status", null);
    expect(withSelected(once, 0, "site.status", null)).toEqual([shelf]);
  });

  test("leaves what was selected in other exhibits", () => {
    const both = withSelected(withSelected([], 0, "site.status", "open"), 1, "site.area", "fell");
    expect(both.map((item) => item.from_exhibit)).toEqual([0, 1]);
  });
});

test("the words that need quotes as names are those of the language", () => {
  expect([...KEYWORDS].sort()).toEqual(keywords);
});
