import { describe, expect, it } from "vitest";
import { promisedFigure, promisedOnly, promisedWhy } from "../src/features/asking/promised";
import { coverageOfPage, coverageOfTable, inWords, type ReachClass } from "../src/features/overview/coverage";

describe("what was asked, as a promise", () => {
  it("says what a verdict says, either way", () => {
    expect(promisedWhy("ann", "Ann", { page: "p", action: "open" }, "cannot", null)?.must).toEqual({
      pages: { can_open: [], cannot_open: ["p"] },
    });
    expect(promisedWhy("ann", "Ann", { model: "m", object: "column:t.c" }, "masked", null)?.must).toEqual({
      visible: { model: "m", objects: ["column:t.c"] },
    });
    expect(promisedWhy("ann", "Ann", { model: "m", table: "t", row: "it's" }, "cannot", "the key")?.must).toEqual({
      rows: { model: "m", table: "t", where: `"the key" = 'it''s'`, count: 0 },
    });
  });

  it("says nothing of what no promise holds: a row without a key, another action, a change", () => {
    expect(promisedWhy("ann", "Ann", { model: "m", table: "t", row: 1 }, "can", null)).toBeNull();
    expect(promisedWhy("ann", "Ann", { page: "p", action: "export" }, "can", null)).toBeNull();
    expect(promisedWhy("ann", "Ann", { model: "m", table: "t", row: 1, change: "delete" }, "can", "id")).toBeNull();
  });

  it("holds a figure in its line, by the columns the line has", () => {
    const about = { model: "m", measure: "energy", by: ["site.area", "site.id"], key: ["fell"] };
    expect(promisedFigure("ann", "Ann", about, 4).must.total).toMatchObject({ by: ["site.area"], line: ["fell"], equals: 4 });
  });

  it("names everybody who may reach something, unless there are too many", () => {
    expect(promisedOnly({ model: "m", table: "t", column: "c" }, "c", ["ann"], null)?.must.only).toEqual({
      subject: { column: { model: "m", column: "t.c", state: "clear" } },
      people: [{ user: "ann" }],
    });
    expect(promisedOnly({ page: "p" }, "p", Array(201).fill("x"), null)).toBeNull();
  });
});

describe("coverage", () => {
  const seen = (logins: string[], rows: number, pages: string[] = []) => ({ logins, rows: [rows], pages }) as unknown as ReachClass;
  const circle = (...logins: string[]) => ({ key: "g", label: "G", logins });

  it("tells all, none, a share, or from the least to the most", () => {
    const classes = [seen(["ann"], 10), seen(["bob"], 4), seen(["cal"], 0)];
    const told = (...logins: string[]) => inWords(coverageOfTable(classes, circle(...logins), 0, 10));
    expect([told("ann"), told("cal"), told("bob"), told("ann", "bob"), told("bob", "cal"), told("nobody")]).toEqual([
      "all",
      "none",
      "40 %",
      "40–100 %",
      "0–40 %",
      "none",
    ]);
  });

  it("never rounds something to nothing, nor less than all to all", () => {
    const classes = [seen(["ann"], 1), seen(["bob"], 9999)];
    expect(inWords(coverageOfTable(classes, circle("ann"), 0, 10_000))).toBe("1 %");
    expect(inWords(coverageOfTable(classes, circle("bob"), 0, 10_000))).toBe("99 %");
  });

  it("tells whether a page opens for all, some or none", () => {
    const classes = [seen(["ann"], 0, ["p"]), seen(["bob"], 0)];
    expect([coverageOfPage(classes, circle("ann"), "p").state, coverageOfPage(classes, circle("ann", "bob"), "p").state]).toEqual([
      "all",
      "part",
    ]);
  });
});
