import { describe, expect, test } from "vitest";
import {
  type ColumnChoice,
  choicesOf,
  confirmedTable,
  faultOf,
  type Proposal,
  type RelationshipChoice,
  renamed,
  type Source,
  size,
  type TableChoice,
  usable,
} from "../src/ui/files/sources";

const column = (name: string, more: Partial<ColumnChoice> = {}): ColumnChoice => ({
  proposed: { position: 0, header: name, name, type: "text" } as ColumnChoice["proposed"],
  take: true,
  name,
  type: "text",
  spelling: "plain",
  blanks: [],
  tags: [],
  ...more,
});

const table = (name: string, columns: ColumnChoice[], key: string | null = null): TableChoice => ({
  source: { upload: "u1", grid: { reading: { kind: "csv" } } } as unknown as Source,
  name,
  label: "",
  key,
  keyEvidence: "",
  rows: 3,
  whole: true,
  columns,
});

describe("what is confirmed", () => {
  test("begins as proposed: a sensitive column tagged, an unusable one left out", () => {
    const proposal = {
      tables: [
        {
          name: "person",
          label: "Person",
          key_evidence: "unique",
          rows: 2,
          whole: true,
          columns: [
            { position: 0, header: "phone", name: "phone", type: "text", sensitive: true },
            { position: 1, header: "junk", name: "junk", type: "text", unusable: "too long" },
          ],
        },
        { name: "left over", columns: [] },
      ],
    } as unknown as Proposal;
    const choices = choicesOf(proposal, [{ key: "a" } as Source]);
    expect(choices).toHaveLength(1);
    expect(choices[0]?.columns.map((item) => [item.name, item.take, item.tags])).toEqual([
      ["phone", true, ["personal"]],
      ["junk", false, []],
    ]);
  });

  test("is the columns taken, with the header as label where it was renamed", () => {
    const chosen = table("site", [
      column("id"),
      column("area", { proposed: { position: 4, header: "Area (name)" } as never }),
      column("x", { take: false }),
    ]);
    expect(confirmedTable(chosen).columns.map((item) => [item.position, item.name, item.label])).toEqual([
      [0, "id", null],
      [4, "area", "Area (name)"],
    ]);
    expect(confirmedTable(chosen).label).toBeNull();
  });
});

describe("the fault of a table", () => {
  const fine = table("site", [column("id"), column("area")], "id");
  test.each<[string, TableChoice, string | null]>([
    ["none", fine, null],
    ["no name", table(" ", [column("id")]), "The table needs a name."],
    ["a point in its name", table("a.b", [column("id")]), "A table's name has neither a point nor a slash."],
    [
      "a name that is present",
      table("run", [column("id")]),
      "The model has a table run already. Choose another name, or refresh that table.",
    ],
    ["the name of another", table("mill", [column("id")]), "Two tables are named mill."],
    ["no column", table("moss", [column("id", { take: false })]), "Take at least one column."],
    ["two columns of one name", table("moss", [column("id"), column("id")]), "Two columns are named id."],
    ["a column without a name", table("moss", [column("")]), "Every column needs a name."],
    ["a key left out", table("moss", [column("id", { take: false }), column("area")], "id"), "The key id is not among the columns taken."],
  ])("%s", (_, chosen, fault) => {
    expect(faultOf(chosen, [chosen, table("mill", [])], ["run"])).toBe(fault);
  });
});

describe("relationships while tables are renamed", () => {
  const before = table("site", [column("id"), column("area")], "id");
  const after = table("place", [column("number"), column("area")], "number");
  const relationship = (from: string, to: string, chosen = true) => ({ from, to, chosen }) as RelationshipChoice;

  test("follow the table and the column", () => {
    expect(renamed("site.id", before, after)).toBe("place.number");
    expect(renamed("mill.site_id", before, after)).toBe("mill.site_id");
  });

  test("are used while both ends are taken and the one end is a key", () => {
    const mill = table("mill", [column("site_id"), column("old", { take: false })]);
    const all = [
      relationship("mill.site_id", "site.id"),
      relationship("mill.site_id", "site.area"),
      relationship("mill.old", "site.id"),
      relationship("mill.site_id", "site.id", false),
    ];
    expect(usable(all, [before, mill], [])).toEqual([all[0]]);
  });

  test("may lead to a table the model has", () => {
    const present = { name: "crew", key: "id", columns: [{ name: "id", type: "integer" }] };
    const found = usable([relationship("mill.crew_id", "crew.id")], [table("mill", [column("crew_id")])], [present as never]);
    expect(found).toHaveLength(1);
  });
});

test.each([
  [10, "1 kB"],
  [250_000, "250 kB"],
  [12_340_000, "12.3 MB"],
])("%i bytes are %s", (bytes, text) => {
  expect(size(bytes)).toBe(text);
});
