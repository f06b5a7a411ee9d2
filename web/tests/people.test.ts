import { describe, expect, test } from "vitest";
import { chosenPeople } from "../src/features/people/chosenPeople";
import { guessed } from "../src/features/people/fileColumns";
import type { PeopleData } from "../src/state/directory";
import { alike, byKind, type ViewerImpact } from "../src/ui/impactLines";

const person = (login: string, organization: string | null, more: object = {}) => ({
  login,
  name: login.toUpperCase(),
  email: null,
  organization,
  enabled: true,
  kind: "person",
  roles: [],
  ...more,
});

const PEOPLE = {
  people: [
    person("ann", "leaf", { roles: ["desk"], email: "ann@moor.example" }),
    person("bob", "root", { enabled: false }),
    person("cleo", null, { kind: "service" }),
  ],
  organizations: [
    { name: "root", parent: null },
    { name: "branch", parent: "root" },
    { name: "leaf", parent: "branch" },
  ],
  groups: [
    { name: "all", groups: ["some"], users: ["bob"] },
    { name: "some", groups: ["all"], users: ["ann"] },
    { name: "none", groups: [], users: [] },
  ],
  held: true,
} as unknown as PeopleData;

const ALL = { kind: "all" } as const;
const logins = (...asked: [Parameters<typeof chosenPeople>[1], string, string]) => chosenPeople(PEOPLE, ...asked).map((item) => item.login);

describe("the people listed", () => {
  test("are those at or below an organization", () => {
    expect(logins({ kind: "organization", name: "root" }, "", "")).toEqual(["ann", "bob"]);
    expect(logins({ kind: "organization", name: "leaf" }, "", "")).toEqual(["ann"]);
  });

  test("are those in a group and in the groups inside it, however they are nested", () => {
    expect(logins({ kind: "group", name: "all" }, "", "")).toEqual(["ann", "bob"]);
    expect(logins({ kind: "group", name: "none" }, "", "")).toEqual([]);
  });

  test("are found by name, login or mail", () => {
    expect(logins(ALL, " MOOR.example", "")).toEqual(["ann"]);
    expect(logins(ALL, "o", "")).toEqual(["ann", "bob", "cleo"]);
  });

  test.each([
    ["enabled", ["ann", "cleo"]],
    ["disabled", ["bob"]],
    ["no-role", ["bob", "cleo"]],
    ["services", ["cleo"]],
  ])("are filtered: %s", (only, found) => {
    expect(logins(ALL, "", only)).toEqual(found);
  });

  test("are not called without a role while their roles are not known yet", () => {
    expect(chosenPeople({ ...PEOPLE, held: false } as PeopleData, ALL, "", "no-role")).toHaveLength(3);
  });
});

describe("the columns of a file of people", () => {
  test("are guessed by the usual names, each once", () => {
    expect(guessed("people", ["User Name", "Full name", "E-Mail", "Company", "areas"], ["areas", "code"])).toEqual({
      login: 0,
      name: 1,
      email: 2,
      organization: 3,
      "attribute:areas": 4,
    });
  });

  test("name an attribute plainly or by its kind", () => {
    expect(guessed("people", ["login", "Attribute:code"], ["code"])).toEqual({ login: 0, "attribute:code": 1 });
  });

  test("of groups are the group's own", () => {
    expect(guessed("groups", ["group", "members"], [])).toEqual({ name: 0, users: 1 });
  });

  test("that nobody knows are left out", () => {
    expect(guessed("people", ["shoe size"], ["areas"])).toEqual({});
  });
});

describe("gain and loss", () => {
  test("name objects by kind, columns and many of a kind by their number", () => {
    const measures = ["a", "b", "c", "d", "e", "f", "g"].map((name) => `measure ${name}`);
    expect(byKind(["table site", "column site.rent", "table mill", ...measures])).toEqual(["tables site, mill", "1 column", "7 measures"]);
  });

  test("are told once for all for whom they are the same", () => {
    const viewer = (login: string, lost: string[]) => ({ login, name: login, tables: [], gained: [], lost }) as unknown as ViewerImpact;
    const found = alike([viewer("ann", ["table site"]), viewer("bob", []), viewer("cleo", ["table site"])]);
    expect(found.map((group) => group.named.map((item) => item.login))).toEqual([["ann", "cleo"], ["bob"]]);
  });
});
