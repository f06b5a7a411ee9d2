import { describe, expect, test } from "vitest";
import type { Model, Schemas } from "../src/api/client";
import { restrictionsOf, stripsOf } from "../src/features/models/strips";

const model = (edges: [string, string, string?][], tables: string[], more: object = {}): Model =>
  ({
    name: "m",
    tables: tables.map((name) => ({ name })),
    relationships: edges.map(([from, to, carries]) => ({ from: `${from}.${to}_id`, to: `${to}.id`, carries: carries ?? "down" })),
    measures: [],
    ...more,
  }) as unknown as Model;

const role = (name: string, sentences: object[], kind = "grant") => ({ name, kind, sentences }) as unknown as Schemas["Role"];
const rows = (table: string) => ({ rows: { table, where: "TRUE" } });
const FARM = model(
  [
    ["run", "mill"],
    ["mill", "site"],
    ["job", "mill"],
    ["site", "area"],
  ],
  ["run", "job", "mill", "site", "area", "note"],
);

describe("tables in strips", () => {
  test("stand with what is looked up from furthest above, facts below, what is unrelated last", () => {
    expect(stripsOf(FARM)).toEqual([
      { title: "lookups of lookups", tables: ["area"] },
      { title: "lookups of lookups", tables: ["site"] },
      { title: "lookups", tables: ["mill"] },
      { title: "facts", tables: ["run", "job"] },
      { title: "standing alone", tables: ["note"] },
    ]);
  });

  test("are near what they are related to above", () => {
    const crossed = model(
      [
        ["left", "one"],
        ["right", "other"],
      ],
      ["right", "left", "one", "other"],
    );
    expect(stripsOf(crossed).at(-1)?.tables).toEqual(["left", "right"]);
  });

  test("of a circle end, too", () => {
    const circle = model(
      [
        ["a", "b"],
        ["b", "a"],
      ],
      ["a", "b"],
    );
    expect(
      stripsOf(circle)
        .flatMap((strip) => strip.tables)
        .sort(),
    ).toEqual(["a", "b"]);
  });

  test("of an empty model are none", () => {
    expect(stripsOf(model([], []))).toEqual([]);
  });
});

describe("a restriction", () => {
  test("runs down from where it is set, and not up", () => {
    const found = restrictionsOf(FARM, [role("desk", [rows("mill")])]);
    expect([...found.set.keys()]).toEqual(["mill"]);
    expect([...found.reached].sort()).toEqual(["job", "mill", "run"]);
    expect([...found.along].sort()).toEqual(["job.mill_id", "run.mill_id"]);
  });

  test("runs up where the relationship carries it both ways", () => {
    const both = model([["run", "mill", "down_and_up"]], ["run", "mill"]);
    expect([...restrictionsOf(both, [role("desk", [rows("run")])]).reached].sort()).toEqual(["mill", "run"]);
  });

  test("by members is set at the hierarchy's table", () => {
    const placed = { ...FARM, hierarchies: [{ name: "place", table: "site", levels: ["id"] }] } as unknown as Model;
    expect([...restrictionsOf(placed, [role("desk", [{ members: { hierarchy: "place" } }])]).set.keys()]).toEqual(["site"]);
  });

  test("of a grant names the facts it leaves open; a limit leaves none open", () => {
    const open = (kind: string) => [...restrictionsOf(FARM, [role("desk", [rows("job")], kind)]).open];
    expect(open("grant")).toEqual([["run", ["desk"]]]);
    expect(open("limit")).toEqual([]);
  });

  test("through an entitlement table does not call that table an open fact", () => {
    const listed = model(
      [
        ["run", "mill"],
        ["scope", "mill"],
      ],
      ["run", "scope", "mill"],
    );
    const found = restrictionsOf(listed, [role("desk", [{ entitlement: { table: "run", through: "scope" } }])]);
    expect([...found.open.keys()]).toEqual([]);
  });
});
