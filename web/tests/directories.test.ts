import { describe, expect, test } from "vitest";
import type { Schemas } from "../src/api/client";
import { entryValues, firstWritten, ready, STEPS } from "../src/features/settings/origins/writing";

const written = (change: Partial<ReturnType<typeof firstWritten>> = {}) => ({ ...firstWritten("ldap.moor"), name: "yard", ...change });

describe("a directory is set up step by step", () => {
  test("at first over a line nobody reads along, with bounds to what one run may change", () => {
    expect(firstWritten("")).toMatchObject({ security: "ldaps", bounds: { gain: 5, lose: 20, gone_percent: 20 } });
  });

  test.each(["", "two words", "a/b", "ä"])("a name that is no name of a file is not gone on with: %o", (name) => {
    expect(ready(written({ name }), 0)).toBe("Give it a name of letters, digits, points and hyphens.");
  });

  test("without a machine, or a place of people, it does not go on either", () => {
    expect(ready(written({ host: "" }), 0)).toBe("Say which machine it is on.");
    expect(ready(written(), 2)).toBe("Say where people are.");
  });

  test("every step can be gone on from where all is said", () => {
    const text = written();
    text.people = { ...text.people, base: "ou=people,dc=moor" };
    expect(STEPS.map((_, step) => ready(text, step))).toEqual(STEPS.map(() => null));
  });
});

describe("what an entry says", () => {
  const entry = { dn: "uid=ann", values: { employeeType: ["steward", "desk"], mail: [] } } as unknown as Schemas["FoundEntry"];

  test.each<[string | undefined, string[]]>([
    ["employeeType", ["steward", "desk"]],
    ["EMPLOYEETYPE", ["steward", "desk"]],
    ["mail", []],
    ["gone", []],
    [undefined, []],
    ["", []],
  ])("as %o is %o", (name, values) => {
    expect(entryValues(entry, name)).toEqual(values);
  });
});
