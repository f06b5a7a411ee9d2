import { describe, expect, test } from "vitest";
import type { Model, ModelAnswer, Schemas } from "../src/api/client";
import { indexed, lineKey, readingOrder, type Totals } from "../src/features/viewers/totalsLines";
import { laidOut } from "../src/ui/chartLines";
import { axesOf, equals } from "../src/ui/cube/axes";
import { defaultColumn } from "../src/ui/defaultColumn";
import { buildableOf } from "../src/ui/exhibits/buildable";
import { asKind, renamedMade, subjectsOf, withMade, withoutMade } from "../src/ui/exhibits/exhibits";
import { crossed, inOrder, unfolded } from "../src/ui/twoWay";

const MODEL = {
  name: "m",
  tables: [
    {
      name: "run",
      columns: [
        { name: "site_id", type: "integer" },
        { name: "note", type: "text" },
      ],
    },
    {
      name: "site",
      key: "id",
      label: "Sites",
      columns: [
        { name: "id", type: "integer" },
        { name: "name", type: "text" },
        { name: "area", type: "text" },
        { name: "opened", type: "date" },
      ],
    },
    { name: "second site", alias_of: "site" },
    { name: "job", columns: [{ name: "site_id", type: "integer" }] },
  ],
  measures: [
    { name: "energy", table: "run" },
    { name: "jobs", table: "job" },
  ],
  hierarchies: [{ name: "place", table: "site", label: "Place", levels: ["area", "opened"] }],
} as unknown as Model;
const ANSWER = { document: MODEL, reaches: { site: ["run", "job"], "second site": ["run"] } } as unknown as ModelAnswer;
const BUILT = buildableOf(ANSWER);
const totals = (by: string[], lines: [unknown[], unknown[]][], measures = ["energy"]) =>
  ({ by, measures, total: [99], lines: lines.map(([key, values]) => ({ key, values })) }) as unknown as Totals;
const exhibit = (more: object) =>
  ({ title: "x", by: [], measures: ["energy"], columns: [], order: [], kind: "bar", ...more }) as unknown as Schemas["Exhibit"];

describe("the axes of a cube", () => {
  const axes = (...dimensions: object[]) => axesOf(MODEL, { dimensions } as unknown as Schemas["Cube"]);

  test("are the hierarchies of levels of its dimensions", () => {
    expect(axes({ table: "site", hierarchies: ["place", "gone"] })).toEqual([
      {
        key: "place",
        label: "Place",
        levels: [
          { name: "site.area", text: "site.area", type: "text" },
          { name: "site.opened", text: "site.opened", type: "date" },
        ],
      },
    ]);
  });

  test("are the key of a dimension without a hierarchy, of an alias too", () => {
    expect(axes({ table: "second site" })[0]?.levels).toEqual([{ name: "second site.id", text: '"second site".id', type: "integer" }]);
  });

  test("are narrowed to a member by the type of its level", () => {
    const level = (type: string) => ({ name: "site.x", text: "site.x", type });
    expect(equals(level("text"), "2026-01-01")).toBe("site.x = '2026-01-01'");
    expect(equals(level("date"), "2026-01-01")).toBe("site.x = DATE '2026-01-01'");
    expect(equals(level("integer"), 4)).toBe("site.x = 4");
    expect(equals(level("text"), null)).toBe("site.x IS NULL");
  });

  test("have members by size or letter, blank last", () => {
    expect([10, null, 9].sort(inOrder)).toEqual([9, 10, null]);
    expect(["moss", null, "fell"].sort(inOrder)).toEqual(["fell", "moss", null]);
  });
});

describe("lines of totals", () => {
  const found = totals(
    ["site.area", "site.name"],
    [
      [["fell"], [3]],
      [["marsh"], [4]],
      [["fell", "a"], [1]],
      [["fell", "b"], [2]],
      [["marsh", "c"], [4]],
    ],
  );

  test("are read with each group before what is in it, and the total last", () => {
    expect(readingOrder(found).map((line) => [line.key.join("/"), line.depth])).toEqual([
      ["fell", 1],
      ["fell/a", 2],
      ["fell/b", 2],
      ["marsh", 1],
      ["marsh/c", 2],
      ["", 0],
    ]);
  });

  test("are found by their keys, a blank not being the text null", () => {
    expect(indexed(found).get(lineKey(["fell", "b"]))).toEqual([2]);
    expect(indexed(found).get(lineKey([]))).toEqual([99]);
    expect(lineKey([null])).not.toBe(lineKey(["null"]));
  });

  test("of a refused question are none", () => {
    const refused = { error: { code: "not_found", message: "no" } } as never;
    expect(readingOrder(refused)).toEqual([]);
    expect(indexed(refused).size).toBe(0);
    expect(readingOrder(undefined)).toEqual([]);
  });
});

describe("a chart", () => {
  const measures = { energy: { label: "Energy", format: "kWh" }, runs: { label: "Runs", format: null } } as never;

  test("has one series for each measure", () => {
    const found = laidOut(
      totals(
        ["site.area"],
        [
          [["fell"], [1, 2]],
          [[null], [3, null]],
        ],
        ["energy", "runs"],
      ),
      exhibit({}),
      measures,
    );
    expect(found.keys).toEqual(["fell", "(blank)"]);
    expect(found.parts).toEqual(["fell", null]);
    expect(found.series).toEqual([
      { name: "Energy", format: "kWh", values: [1, 3] },
      { name: "Runs", format: null, values: [2, null] },
    ]);
  });

  test("coloured by a second column has one series for each of its values, with gaps", () => {
    const lines: [unknown[], unknown[]][] = [
      [["fell", "open"], [1]],
      [["fell", "closed"], [2]],
      [["marsh", "open"], [3]],
    ];
    const found = laidOut(totals(["site.area", "site.status"], lines), exhibit({ colour: "site.status" }), measures);
    expect(found.keys).toEqual(["fell", "marsh"]);
    expect(found.series.map((item) => [item.name, item.values])).toEqual([
      ["open", [1, 3]],
      ["closed", [2, null]],
    ]);
  });
});

describe("an exhibit as another kind", () => {
  test("keeps what still fits", () => {
    const bar = exhibit({ by: ["site.area"], colour: "site.name", where: "TRUE" });
    expect(asKind(bar, "line", BUILT)).toMatchObject({ kind: "line", by: ["site.area"], colour: "site.name", where: "TRUE" });
    expect(asKind(bar, "figure", BUILT)).toMatchObject({ by: [], colour: null, measures: ["energy"], where: "TRUE" });
  });

  test("as a list is of the measure's table, and back has a measure again", () => {
    const list = asKind(exhibit({ by: ["site.area"] }), "list", BUILT);
    expect(list).toMatchObject({ kind: "list", table: "run", by: [], measures: [] });
    expect(asKind({ ...list, where: "note = 'x'" }, "bar", BUILT)).toMatchObject({ table: null, measures: ["energy"], where: null });
  });

  test("takes expressions of its own, each under a name, and gives them back", () => {
    const bar = exhibit({ by: ["site.area"], measures: ["energy"] });
    const more = withMade(withMade(bar, "measure", { expression: "AVG(run.kwh)", table: null }), "measure", {
      expression: "COUNT(*)",
      table: "run",
    });
    expect(more.measures).toEqual(["energy", "figure 1", "figure 2"]);
    expect(withMade(bar, "column", { expression: "UPPER(site.area)", table: null }).by).toEqual(["part 1"]);
    expect(renamedMade(more, 0, "mean").measures).toEqual(["energy", "mean", "figure 2"]);
    expect(renamedMade(more, 0, "figure 2")).toBe(more);
    expect(withoutMade(more, "figure 1")).toMatchObject({ measures: ["energy", "figure 2"], made: [{ as: "figure 2" }] });
  });

  test("can be parted by the columns all its measures reach", () => {
    const names = (...tables: string[]) => subjectsOf(BUILT, tables).map((item) => `${item.table}.${item.column}`);
    expect(names("run", "job")).toEqual(["site.id", "site.name", "site.area", "site.opened"]);
    expect(names("run")).toContain("run.note");
    expect(names("")).toEqual([]);
  });
});

describe("the column to begin with", () => {
  test("is the top level of a hierarchy that reaches the measure", () => {
    expect(defaultColumn(ANSWER, "energy")).toBe("site.area");
  });

  test("is else the first text of a lookup, then of the table, then any", () => {
    const without = (document: object, reaches = ANSWER.reaches) =>
      ({ ...ANSWER, document: { ...MODEL, hierarchies: [], ...document }, reaches }) as ModelAnswer;
    expect(defaultColumn(without({}), "jobs")).toBe("site.name");
    expect(defaultColumn(without({}, {}), "energy")).toBe("run.note");
    expect(defaultColumn(without({}, {}), "jobs")).toBe("job.site_id");
    expect(defaultColumn(without({ tables: [] }, {}), undefined)).toBe("");
  });
});

describe("a two-way table", () => {
  const shape = exhibit({ kind: "two_way", by: ["site.area", "site.id", "calendar.year"], totals: true });
  const answer = (by: string[], lines: [unknown[], unknown[]][], withheld: unknown[] = []) =>
    ({ ...totals(by, lines, ["energy"]), total: [7], withheld }) as unknown as Schemas["TotalsAnswer"];
  const table = crossed(
    shape,
    answer(
      ["site.area", "site.id", "calendar.year"],
      [
        [["fell"], [4]],
        [["fell", 9], [1]],
        [["fell", 9, 2026], [1]],
        [["fell", 10], [3]],
        [["fell", 10, 2025], [3]],
        [["moss"], [3]],
        [["moss", 11], [3]],
        [["moss", 11, null], [3]],
      ],
    ),
    [
      answer(
        ["calendar.year"],
        [
          [[2025], [3]],
          [[2026], [1]],
          [[null], [3]],
        ],
        [[[2026], "energy"]],
      ),
      answer(["site.area", "calendar.year"], [[["fell", 2025], [3]]]),
    ],
  );

  test("meets where rows and columns cross, at every level, and where they are summed up", () => {
    expect(table.at(["fell", 9], [2026])).toEqual([1]);
    expect(table.at(["fell"], [2025])).toEqual([3]);
    expect(table.at(["fell"], [])).toEqual([4]);
    expect(table.at([], [null])).toEqual([3]);
    expect(table.at([], [])).toEqual([7]);
    expect(table.at(["moss"], [2025])).toBeUndefined();
    expect(table.withheld([], [2026], "energy")).toBe(true);
  });

  test("unfolds its outer levels, columns in reading order", () => {
    expect(table.across.map((item) => item.key)).toEqual([[2025], [2026], [null]]);
    expect(unfolded(table.down, new Set()).map((item) => item.key)).toEqual([["fell"], ["moss"]]);
    expect(unfolded(table.down, new Set(['["fell"]'])).map((item) => item.key)).toEqual([["fell"], ["fell", 9], ["fell", 10], ["moss"]]);
  });
});
