import { expect, test } from "vitest";
import { narrowed, opensOf, type Person, type ReachClass, reachLines, rowsOf, sorted, stateOf } from "../src/features/reach/reachLines";

const seen = (logins: string[], roles: string[], rows: number, rent: string, pages: string[] = []): ReachClass => ({
  logins,
  roles,
  rows: [rows],
  states: rent,
  counted: [],
  pages,
  export: [],
  values: [],
  otherwise: [],
});
const classes = [seen(["ann", "bea"], ["steward"], 4, "m", ["p"]), seen(["cid"], ["steward", "desk"], 10, "c"), seen(["dan"], [], 0, "h")];
const person = (login: string, organization: string | null, groups: string[]): [string, Person] => [
  login,
  { login, name: login.toUpperCase(), organization, groups },
];
const people = new Map([person("ann", "o", ["g"]), person("bea", "o", []), person("cid", "o", ["g", "h"]), person("dan", null, [])]);
const labels = { organizations: new Map([["o", "Office"]]), groups: new Map(), roles: new Map([["steward", "Steward"]]) };
const lines = (grouping: Parameters<typeof reachLines>[1]) => reachLines(classes, grouping, people, labels);

test("a class is named after its people", () => {
  expect(lines("class").map((line) => line.title)).toEqual(["ANN, BEA", "CID", "DAN"]);
});

test("people stand by organization, by each of their groups, and by each of their roles", () => {
  expect(lines("organization").map((line) => [line.title, line.logins])).toEqual([
    ["no organization", ["dan"]],
    ["Office", ["ann", "bea", "cid"]],
  ]);
  expect(lines("group").map((line) => [line.title, line.logins])).toEqual([
    ["g", ["ann", "cid"]],
    ["h", ["cid"]],
    ["in no group", ["bea", "dan"]],
  ]);
  expect(lines("role").map((line) => line.title)).toEqual(["desk", "no role", "Steward"]);
});

test("a line of several classes tells the least and the most, and what differs", () => {
  const office = lines("organization")[1];
  expect(office && [rowsOf(office, 0), stateOf(office, 0), opensOf(office, "p")]).toEqual([{ least: 4, most: 10 }, "mixed", "some"]);
});

test("lines are sorted by people or by rows of a table", () => {
  expect(sorted(lines("class"), "people").map((line) => line.title)).toEqual(["ANN, BEA", "CID", "DAN"]);
  expect(sorted(lines("class"), 0).map((line) => line.title)).toEqual(["CID", "ANN, BEA", "DAN"]);
});

test("filters leave the people they mean", () => {
  const left = (filter: Parameters<typeof narrowed>[1]) =>
    narrowed(classes, filter, new Set(["bea", "dan"])).flatMap((item) => item.logins);
  expect(left({ kind: "no_role" })).toEqual(["dan"]);
  expect(left({ kind: "quiet" })).toEqual(["bea", "dan"]);
  expect(left({ kind: "table", at: 0 })).toEqual(["ann", "bea", "cid"]);
  expect(left({ kind: "changed" })).toEqual([]);
});
