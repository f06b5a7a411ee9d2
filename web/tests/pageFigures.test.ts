import { describe, expect, test } from "vitest";
import type { Schemas } from "../src/api/client";
import { figureOf } from "../src/features/pages/pageFigures";
import { MODEL } from "./model";

type Filter = Schemas["PageFilter"];

const page = (where: string | null = null) =>
  ({
    measures: { rent: { label: "Rent" } },
    exhibits: [
      { exhibit: { where }, totals: { by: ["site.area"] }, narrowed: ["site.area", "site.rent", "site.opened"] },
      { exhibit: {}, rows: {} },
    ],
  }) as unknown as Schemas["PageAnswer"];

const asked = (filters: Filter[], where: string | null = null) => figureOf(page(where), 0, "rent", ["fell"], filters, MODEL.document);

const where = (...filters: Filter[]) => asked(filters)?.bridge?.where;

const filter = (column: string, values: (string | number | null)[], from_exhibit: number | null = null): Filter => ({
  column,
  values,
  from_exhibit,
});

describe("a figure of a page, as something to ask about", () => {
  test("has the filter of its exhibit, and its own name", () => {
    expect(asked([], "site.id > 1")).toMatchObject({ bridge: { where: "(site.id > 1)" }, title: "Rent · fell" });
    expect(where()).toBeNull();
  });

  test.each<[Filter, string]>([
    [filter("site.area", ["fell", "o'er"]), `(site."area" IN ('fell', 'o''er'))`],
    [filter("site.rent", [1.5, 2]), `(site."rent" IN (1.5, 2))`],
    [filter("site.opened", ["2026-03-01"]), `(site."opened" IN (DATE '2026-03-01'))`],
    [filter("site.area", [null]), `(site."area" IS NULL)`],
    [filter("site.area", ["fell", null]), `(site."area" IN ('fell') OR site."area" IS NULL)`],
  ])("and what the page is narrowed to: %o", (narrowing, text) => {
    expect(where(narrowing)).toBe(text);
  });

  test("but not by what does not narrow this exhibit, nor by what was picked in it", () => {
    expect(where(filter("run.kwh", [1]))).toBeNull();
    expect(where(filter("site.area", ["fell"], 0))).toBeNull();
    expect(where(filter("site.area", ["fell"], 1))).not.toBeNull();
  });

  test("rows are not a figure", () => {
    expect(figureOf(page(), 1, "rent", [], [], MODEL.document)).toBeNull();
  });
});
