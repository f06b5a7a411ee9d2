import { describe, expect, test } from "vitest";
import { forWhom, inWords, isOverAll, KINDS, type Kind, type Must, peopleKey, peopleOfKey } from "../src/features/checks/words";

/** What must hold, once for each kind; a kind that is forgotten here does not compile. */
const SAID: Record<Kind, [unknown, string][]> = {
  rows: [
    [{ table: "site", count: 0 }, "sees exactly 0 rows of site"],
    [{ table: "site", count: 12345 }, "sees exactly 12,345 rows of site"],
    [{ table: "site", at_least: 3 }, "sees at least 3 rows of site"],
    [{ table: "site", where: "area = 'fell'", at_most: 9 }, "sees at most 9 rows of site where area = 'fell'"],
  ],
  total: [
    [{ measure: "energy", equals: 12.5 }, "energy is 12.5"],
    [{ measure: "energy", equals: 13453335.125 }, "energy is 13,453,335.125"],
    [{ measure: "energy", equals: null }, "energy is nothing"],
    [{ measure: "energy", by: ["site.area"], line: ["fell", null], equals: 4 }, "energy for fell › nothing is 4"],
    [{ measure: "energy", where: "site.id > 2", equals: 1 }, "energy where site.id > 2 is 1"],
  ],
  hidden: [[{ objects: ["tag:money", "column:site.rent"] }, "tag:money, column:site.rent hidden"]],
  visible: [[{ objects: ["table:site"] }, "table:site visible"]],
  pages: [
    [{ can_open: ["output"], cannot_open: ["pay", "rents"] }, "can open output; cannot open pay, rents"],
    [{ cannot_open: ["pay"] }, "cannot open pay"],
  ],
  values: [
    [{ column: "site.area", only: [] }, "site.area shows no value"],
    [{ column: "site.area", only: ["fell", "marsh"] }, "site.area shows only fell, marsh"],
    [{ column: "site.area", includes: ["fell"] }, "site.area shows fell"],
    [{ column: "site.area", excludes: ["fell"] }, "site.area shows none of fell"],
  ],
  same_as: [[{ viewer: "j.ames" }, "sees the same as j.ames"]],
  nothing: [[true, "sees nothing"]],
  only: [
    [{ subject: { page: "pay" }, people: [{ group: "auditors" }, { user: "ann" }] }, "only auditors, ann reach pay"],
    [{ subject: { column: { model: "m", column: "site.rent" } }, people: [] }, "only nobody reach site.rent"],
    [
      { subject: { rows: { model: "m", table: "site", where: "id = 1" } }, people: [{ role: "all" }] },
      "only holders of all reach rows of site where id = 1",
    ],
  ],
  never_both: [[[{ measure: { model: "m", measure: "rent" } }, { page: "pay" }], "nobody reaches both rent and pay"]],
  adds_up: [
    [
      { model: "m", measure: "energy", viewers: [{ user: "ann" }, { organization: "north" }] },
      "each row of energy counts for exactly one of ann, north",
    ],
  ],
  covers: [[{ model: "m", measure: "energy", viewers: [{ group: "desks" }] }, "each row of energy counts for at least one of desks"]],
};

describe("what a promise says", () => {
  const cases = Object.entries(SAID).flatMap(([kind, said]) =>
    said.map(([must, words]) => [kind, { [kind]: must } as Must, words] as const),
  );

  test.each(cases)("%s: %o", (_, must, words) => {
    expect(inWords(must)).toBe(words);
  });

  test("every kind can be chosen, each by words of its own", () => {
    expect(KINDS.map((kind) => kind.value).sort()).toEqual(Object.keys(SAID).sort());
    expect(new Set(KINDS.map((kind) => kind.label)).size).toBe(KINDS.length);
  });

  test("those over everybody are for nobody in particular", () => {
    const over = cases.filter(([, must]) => isOverAll(must)).map(([kind]) => kind);
    expect(new Set(over)).toEqual(new Set(["only", "never_both", "adds_up", "covers"]));
  });
});

describe("for whom a promise is", () => {
  test.each<[Parameters<typeof forWhom>, string]>([
    [[undefined], "over everybody"],
    [["ann"], "ann"],
    [[{ login: "ann", only_roles: ["steward", "all"] }], "ann, with only steward, all"],
    [[undefined, "everyone"], "everyone"],
    [[undefined, { group: "stewards" }], "each of stewards"],
    [[undefined, { role: "steward" }], "each of holders of steward"],
    [[{ imagine: {} }], "somebody imagined"],
    [
      [{ imagine: { groups: ["stewards", "desks"], organization: "north", attributes: { areas: ["fell", "marsh"], code: 7 } } }],
      "a member of stewards, desks, somebody of north, areas fell,marsh, code 7",
    ],
  ])("%o", (whom, words) => {
    expect(forWhom(...whom)).toBe(words);
  });

  test.each([{ group: "a:b" }, { organization: "north" }, { role: "all" }, { user: "ann" }])(
    "%o is the same after it was chosen",
    (people) => {
      expect(peopleOfKey(peopleKey(people))).toEqual(people);
    },
  );
});
