import { describe, expect, test } from "vitest";
import { pastedLines, replaced, typedValue } from "../src/features/models/lines";
import { isAbout } from "../src/features/pages/Openers";
import { finishedPart } from "../src/ui/sentences/sentence";

const columns = [
  { name: "login", type: "text" },
  { name: "site_id", type: "integer" },
  { name: "from_day", type: "date" },
];

describe("a typed text as a value", () => {
  test.each([
    ["  ", "text", null],
    [" kept as typed ", "text", " kept as typed "],
    ["12", "integer", 12],
    ["-3", "integer", -3],
    ["12.5", "integer", "12.5"],
    ["90071992547409931", "integer", "90071992547409931"],
    ["12.5", "number", 12.5],
    [".5", "number", 0.5],
    ["1e3", "number", 1000],
    ["0x10", "number", "0x10"],
    ["Infinity", "number", "Infinity"],
    ["Yes", "boolean", true],
    ["false", "boolean", false],
    ["maybe", "boolean", "maybe"],
    ["2026-03-01", "date", "2026-03-01"],
    ["1.3.2026", "date", "2026-03-01"],
    ["March", "date", "March"],
  ])("%o as %s is %o", (text, type, value) => {
    expect(typedValue(text, type)).toBe(value);
  });
});

describe("pasted lines", () => {
  test("of a spreadsheet are parted by tabulators, in the order of the columns", () => {
    expect(pastedLines("ann\t7\t2026-01-31\r\nbob\t\t", columns)).toEqual({
      header: false,
      surplus: 0,
      lines: [
        { login: "ann", site_id: 7, from_day: "2026-01-31" },
        { login: "bob", site_id: null, from_day: null },
      ],
    });
  });

  test("with a header are read by its names, in any order and letter case", () => {
    expect(pastedLines("Site_ID;LOGIN\n7;ann", columns)).toEqual({ header: true, surplus: 0, lines: [{ site_id: 7, login: "ann" }] });
  });

  test("whose first line only looks like a header in part have none", () => {
    expect(pastedLines("login,7", columns)).toMatchObject({ header: false, lines: [{ login: "login", site_id: 7 }] });
  });

  test("may have a separator or a line break inside quotes", () => {
    expect(pastedLines('"knott, ann",7\n"two\nlines",8\n"a ""b""",9', columns).lines).toEqual([
      { login: "knott, ann", site_id: 7, from_day: null },
      { login: "two\nlines", site_id: 8, from_day: null },
      { login: 'a "b"', site_id: 9, from_day: null },
    ]);
  });

  test("with more cells than columns are told of", () => {
    expect(pastedLines("ann,7,2026-01-31,more,still more", columns).surplus).toBe(2);
  });

  test("of nothing are none", () => {
    expect(pastedLines(" \n\n", columns).lines).toEqual([]);
  });
});

describe("the nearest value", () => {
  test("takes the place of the whole text", () => {
    expect(replaced("Felll", "Felll", "fell", null)).toBe("fell");
  });
  test("takes the place of the one value it is close to", () => {
    expect(replaced("marsh;felll ;moss", "felll", "fell", ";")).toBe("marsh; fell; moss");
  });
  test("leaves a list alone in which nothing is close", () => {
    expect(replaced("marsh; moss", "felll", "fell", ";")).toBe("marsh; moss");
  });
});

describe("a pages sentence", () => {
  const page = { name: "output", shelf: "work", tags: ["monthly"], owner: "ann", exhibits: [], filters: [] } as unknown as Parameters<
    typeof isAbout
  >[1];
  const about = (on: string[] | null, where: string | null) => isAbout({ actions: ["open"], on, where }, page);
  test.each<[string[] | null, string | null, boolean]>([
    [null, null, true],
    [["page:output"], null, true],
    [["shelf:work"], null, true],
    [["page:other"], null, false],
    [null, "'monthly' IN page.tags", true],
    [null, "'contract' IN page.tags", false],
    [null, "page.shelf = 'money' AND 'monthly' IN page.tags", false],
    [null, "page.owner = viewer.login", true],
    [null, "'contract' NOT IN page.tags", true],
    [null, "'contract' IN page.tags OR page.name = 'output'", true],
  ])("on %o where %o is about the page: %o", (on, where, expected) => {
    expect(about(on, where)).toBe(expected);
  });
});

describe("a role that is being written", () => {
  test("is sent as far as it is finished, and keeps the places of its sentences", () => {
    const rows = (where: string) => ({ rows: { table: "site", where } });
    const role = {
      name: "r",
      kind: "grant" as const,
      model: "m",
      sentences: [rows(""), rows("TRUE"), { pages: { actions: ["open" as const], on: [] } }],
    };
    const found = finishedPart(role);
    expect(found.places).toEqual([1]);
    expect(found.role.sentences).toEqual([rows("TRUE")]);
  });
});
