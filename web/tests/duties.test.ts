import { describe, expect, test } from "vitest";
import type { Schemas } from "../src/api/client";
import { type Duty, dimensionsOf, EVERYTHING, everywhere, type Names, scopeInWords } from "../src/features/settings/duties";

const ACTS = [
  { name: "people", dimensions: ["people"] },
  { name: "map", dimensions: ["people", "roles"] },
  { name: "pages", dimensions: ["shelves", "models"] },
  { name: "trail", dimensions: [] },
] as unknown as Schemas["ActEntry"][];

const NAMES: Names = {
  people: new Map([["ann", "Ann Moss"]]),
  organizations: new Map([["north", "North yard"]]),
  groups: new Map([["stewards", "Stewards"]]),
  other: new Map([["work", "Work shelf"]]),
};

const duty = (acts: string[], within: Duty["within"]): Duty => ({ user: "ann", acts, within }) as Duty;

describe("in what a duty is bounded", () => {
  test("only by what its acts are written in, in one order", () => {
    expect(dimensionsOf(["map", "pages"], ACTS)).toEqual(["people", "models", "roles", "shelves"]);
    expect(dimensionsOf(["trail"], ACTS)).toEqual([]);
  });

  test("not at all where everything is said, or all of each", () => {
    expect(everywhere(duty(["map"], "everything"), "map", ACTS)).toBe(true);
    expect(everywhere(duty(["map"], EVERYTHING), "map", ACTS)).toBe(true);
    expect(everywhere(duty(["map"], { ...EVERYTHING, shelves: [] }), "map", ACTS)).toBe(true);
    expect(everywhere(duty(["map"], { ...EVERYTHING, roles: ["all"] }), "map", ACTS)).toBe(false);
  });
});

describe("a scope in words", () => {
  test.each<[string[], Duty["within"], string]>([
    [["map"], "everything", "everything"],
    [["trail"], {}, "the workspace"],
    [["people"], EVERYTHING, "all people"],
    [["map"], { people: "all" }, "all people · no roles"],
    [["map"], { people: { organizations: ["north"] }, roles: ["steward", "work"] }, "North yard and below · steward, Work shelf"],
    [["people"], { people: { groups: ["stewards"], users: ["ann", "bob"] } }, "the group Stewards, Ann Moss, bob"],
    [["people"], { people: {} }, "no people"],
    [["pages"], { shelves: [], models: "all" }, "all models · no shelves"],
  ])("%o within %o", (acts, within, words) => {
    expect(scopeInWords(duty(acts, within), ACTS, NAMES)).toBe(words);
  });
});
