// @vitest-environment jsdom
import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { savedAs } from "../src/ui/csv";

let saved: string;
let name: string;

beforeEach(() => {
  vi.useFakeTimers();
  vi.stubGlobal(
    "Blob",
    class {
      constructor(parts: string[]) {
        saved = parts.join("");
      }
    },
  );
  URL.createObjectURL = () => "blob:here";
  URL.revokeObjectURL = vi.fn();
  vi.spyOn(HTMLAnchorElement.prototype, "click").mockImplementation(function (this: HTMLAnchorElement) {
    name = this.download;
  });
});

afterEach(() => {
  vi.useRealTimers();
  vi.restoreAllMocks();
  vi.unstubAllGlobals();
});

function written(lines: (string | number | null)[][]): string {
  savedAs("a table", ["one", "two"], lines);
  return saved;
}

test("a table is saved with its head, marked as UTF-8, in lines as spreadsheets read them", () => {
  expect(written([["fell", 1.5]])).toBe("\ufeffone,two\r\nfell,1.5\r\n");
});

test("nothing is an empty cell, and a number is never taken for a text", () => {
  expect(written([[null, -3]])).toContain("\r\n,-3\r\n");
});

test.each(["=1+1", "+44", "-x", "@sum", "\tx"])("%o is no formula when it is opened", (text) => {
  expect(written([[text, 0]])).toContain(`\r\n'${text},0\r\n`);
});

test("commas, quotes and ends of lines stay inside of their cell", () => {
  expect(written([['a "b", c\nd', "e"]])).toContain('\r\n"a ""b"", c\nd",e\r\n');
});

test("a name of a file holds nothing that leads elsewhere", () => {
  savedAs('../../a:b"c', [], []);
  expect(name).toBe(".. .. a b c.csv");
});

test("what was handed over is given back to the browser", () => {
  written([]);
  vi.runAllTimers();
  expect(URL.revokeObjectURL).toHaveBeenCalledWith("blob:here");
});
