import { describe, expect, it } from "vitest";
import { type Entry, grouped, said } from "../src/features/trail/grouped";

const look = (id: number, minutes: number, viewer: string, subject = "viewers"): Entry => ({
  id,
  at: new Date(Date.UTC(2026, 2, 31, 14, minutes)).toISOString(),
  actor: "h.warden",
  action: "look",
  subject,
  details: { viewers: [viewer] },
});

describe("the trail as one remembers it", () => {
  it("puts looks of one person, close together, into one", () => {
    const groups = grouped([look(4, 9, "d"), look(3, 7, "c"), look(2, 4, "b"), look(1, 2, "a", "reach")]);
    expect(groups).toHaveLength(1);
    expect(groups[0] && said(groups[0])).toBe("looked as d, c, b and 1 other viewers at viewers, reach");
  });

  it("parts what is of another kind, another person, or later", () => {
    const other: Entry = { ...look(3, 8, "a"), actor: "v.birk" };
    const act: Entry = { ...look(2, 7, "a"), action: "release", subject: "release 2", details: {} };
    expect(grouped([look(4, 59, "a"), other, act, look(1, 5, "a")]).map((group) => group.entries.length)).toEqual([1, 1, 1, 1]);
  });
});
