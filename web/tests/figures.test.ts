import { describe, expect, test } from "vitest";
import { plural, shownValue, withUnit } from "../src/ui/figures";
import { columnHeading, splitName } from "../src/ui/fullNames";
import { suggestedName } from "../src/ui/suggestedName";

describe("values as they are read", () => {
  test.each<[unknown, string | null, string]>([
    [null, null, ""],
    [0, null, "0"],
    [1234567, null, "1,234,567"],
    [1234.56, null, "1,235"],
    [12.345, null, "12.35"],
    [0.00412, null, "0.00412"],
    [-0.5, null, "-0.5"],
    [0.1234, "%", "12.3 %"],
    [true, null, "yes"],
    [false, null, "no"],
    ["fell", null, "fell"],
  ])("%o as %o is %o", (value, format, text) => {
    expect(shownValue(value, format)).toBe(text);
  });

  test("have their unit behind them, nothing has none", () => {
    expect(withUnit(5, "kWh")).toBe("5 kWh");
    expect(withUnit(0.5, "%")).toBe("50 %");
    expect(withUnit(null, "kWh")).toBe("");
  });

  test("are counted in words", () => {
    expect(plural(1, "person", "people")).toBe("1 person");
    expect(plural(1200, "row")).toBe("1,200 rows");
  });
});

describe("names", () => {
  test("are parted at the first point", () => {
    expect(splitName("site.annual_rent")).toEqual(["site", "annual_rent"]);
    expect(splitName("site.rent p.a.")).toEqual(["site", "rent p.a."]);
    expect(splitName("site")).toEqual(["site", ""]);
    expect(columnHeading("site.annual_rent")).toBe("annual rent");
  });

  test("are suggested from labels", () => {
    expect(suggestedName("  Desk — on Duty! ")).toBe("desk-on-duty");
    expect(suggestedName("…")).toBe("");
  });
});
