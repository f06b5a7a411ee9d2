import { describe, expect, test } from "vitest";
import cases from "../../tests/cases/conditions.json";
import type { Clause, Group, Model } from "../src/api/client";
import { columnSubjects, columnText, groupText, type Part, partAt, withPart } from "../src/ui/conditions/clauses";

type Bare = { joined?: string; negated?: boolean; parts?: Bare[]; [name: string]: unknown };

/** A part as the interface makes it: no text of its own yet. */
function made(part: Bare): Part {
  if (part.joined) return { joined: part.joined, negated: part.negated ?? false, parts: (part.parts ?? []).map(made) } as Group;
  return { negated: false, text: "", ...part } as Clause;
}

const clause = (area: string): Clause => made({ table: "site", column: "area", type: "text", kind: "values", values: [area] }) as Clause;
const group = (joined: "and" | "or", ...parts: Part[]): Group => ({ joined, negated: false, parts });

describe("a group as text", () => {
  test.each(cases)("$about", ({ own, written, group: bare }) => {
    expect(groupText(made(bare) as Group, own)).toBe(written);
  });

  test("a clause that was not touched stays as it was written", () => {
    expect(groupText(group("and", { ...clause("fell"), text: "area  =  'fell'" }), "site")).toBe("area  =  'fell'");
  });

  test("groups without clauses are left out", () => {
    expect(groupText(group("and", clause("fell"), group("or")), "site")).toBe("area = 'fell'");
    expect(groupText(group("and", group("or"), group("and")), "site")).toBe("");
    expect(groupText({ ...group("or"), negated: true }, "site")).toBe("");
  });

  test("a group alone in its group needs no brackets", () => {
    expect(groupText(group("and", group("or", clause("fell"), clause("marsh"))), "site")).toBe("area = 'fell' OR area = 'marsh'");
  });

  test("a name with a quote in it is quoted whole", () => {
    expect(columnText("si te", 'a"b', "site")).toBe('"si te"."a""b"');
    expect(columnText("site", "Select", "site")).toBe('"Select"');
  });
});

describe("a part by its path", () => {
  const tree = group("and", clause("fell"), group("or", clause("marsh"), clause("moss")));

  test("is found", () => {
    expect(partAt(tree, [1, 0])).toEqual(clause("marsh"));
    expect(partAt(tree, [])).toBe(tree);
    expect(partAt(tree, [0, 0])).toBeNull();
    expect(partAt(tree, [7])).toBeNull();
  });

  test("is replaced, and the rest stays", () => {
    const next = withPart(tree, [1, 0], clause("tarn"));
    expect(groupText(next, "site")).toBe("area = 'fell'\nAND (area = 'tarn' OR area = 'moss')");
    expect(groupText(tree, "site")).toContain("'marsh'");
  });

  test("is taken away", () => {
    expect(groupText(withPart(tree, [1, 0], null), "site")).toBe("area = 'fell'\nAND area = 'moss'");
    expect(groupText(withPart(tree, [], null), "site")).toBe("");
  });

  test("that is not there changes nothing", () => {
    expect(withPart(tree, [4, 1], clause("tarn"))).toEqual(tree);
    expect(withPart(tree, [0, 1], clause("tarn"))).toEqual(tree);
  });
});

describe("the columns a condition may use", () => {
  const model = {
    name: "m",
    tables: [
      { name: "run", columns: [{ name: "site_id", type: "integer" }] },
      { name: "site", columns: [{ name: "area", type: "text" }] },
      { name: "person", columns: [{ name: "phone", type: "text" }] },
      { name: "second site", alias_of: "site", columns: [] },
    ],
  } as unknown as Model;
  const reaches = { site: ["run"], "second site": ["run"] };

  test("are the table's own, then those of its lookups, of an alias those of its original", () => {
    expect(columnSubjects(model, reaches, "run").map((subject) => subject.label)).toEqual(["site_id", "site.area", "second site.area"]);
  });

  test("are not those of tables that do not reach it", () => {
    expect(columnSubjects(model, reaches, "site").map((subject) => subject.label)).toEqual(["area"]);
  });
});
