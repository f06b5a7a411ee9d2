import { describe, expect, test } from "vitest";
import { type Display, exactValue, plural, rowValue, shownValue, withUnit } from "../src/ui/figures";
import { columnHeading, splitName } from "../src/ui/fullNames";
import { suggestedName } from "../src/ui/suggestedName";

describe("values as they are read", () => {
  test.each<[unknown, string | null, string]>([
    [null, null, ""],
    [0, null, "0"],
    [1234567, null, "1,234,567"],
    [1234.56, null, "1,234.56"],
    [1234.567, null, "1,234.57"],
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

  test.each<[unknown, Display | null, string]>([
    [2024, null, "2024"],
    [1234567.891, null, "1234567.891"],
    [1234567, { grouped: true, day: false }, "1,234,567"],
    [-1234.5, { grouped: true, day: false, decimals: 2 }, "-1,234.50"],
    [0.1, { grouped: false, day: false, unit: "kWh" }, "0.1 kWh"],
    ["2026-03-01 10:00:00", { grouped: false, day: true }, "2026-03-01"],
  ])("of rows are exact, or as their column says: %o as %o is %o", (value, display, text) => {
    expect(rowValue(value, display)).toBe(text);
  });

  test("that are shortened have their exact figure behind them", () => {
    expect(exactValue(1234.5678)).toBe("1,234.5678");
    expect(exactValue(1234.5)).toBeNull();
    expect(exactValue("fell")).toBeNull();
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
