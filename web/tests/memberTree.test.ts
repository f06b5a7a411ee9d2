import { describe, expect, test } from "vitest";
import cases from "../../tests/cases/members.json";
import { atOrBeneath, mayChange, withChange } from "../src/features/roles/mayChange";
import {
  isSeen,
  listedPath,
  type Members,
  type Node,
  pathKey,
  saidOf,
  shownPath,
  treeOf,
  withSaid,
} from "../src/features/roles/memberTree";

type Case = { about: string; sentence: object; areas?: string[] | null; seen: unknown[][] };

const asSentence = (part: object) => ({ hierarchy: "place", totals: "own", list: [], unlisted: "hidden", ...part }) as Members;
const seenOf = (members: unknown[][], { sentence, areas }: Case, parents: boolean) =>
  members.filter((path) => isSeen(asSentence(sentence), path, parents, () => areas ?? null));

describe("the members drawn as seen are those the core opens", () => {
  const leaves = cases.levels.members.filter((path) => path.length === 2);
  test.each(cases.levels.cases as Case[])("levels: $about", (item) => {
    expect(seenOf(leaves, item, false)).toEqual(item.seen);
  });
  test.each(cases.parents.cases as Case[])("parents: $about", (item) => {
    expect(seenOf(cases.parents.members, item, true)).toEqual(item.seen);
  });
});

describe("what a sentence says of a member", () => {
  const open = withSaid(asSentence({}), ["fell"], "see");

  test("is said, said otherwise, and taken back", () => {
    expect(saidOf(open, ["fell"])).toBe("see");
    const closed = withSaid(open, ["fell"], "not");
    expect(closed.list).toEqual([{ path: ["fell"], see: false }]);
    expect(withSaid(closed, ["fell"], "inherits").list).toEqual([]);
  });

  test("says nothing of those beneath it", () => {
    expect(saidOf(open, ["fell", "open"])).toBe("inherits");
  });

  test("is not where both are said: not wins", () => {
    const both = asSentence({
      list: [
        { path: ["fell"], see: true },
        { path: ["fell"], see: false },
      ],
    });
    expect(saidOf(both, ["fell"])).toBe("not");
  });
});

describe("members as a tree", () => {
  const all = [
    { path: ["fell"], rows: 3 },
    { path: ["fell", null], rows: 1 },
    { path: ["fell", "open"], rows: 2 },
    { path: ["marsh"], rows: 4 },
  ];

  test("hang beneath one another with their counts, a blank named so", () => {
    const tree = treeOf(all, null);
    expect(tree.map((node) => [node.name, node.rows, node.seen])).toEqual([
      ["fell", 3, null],
      ["marsh", 4, null],
    ]);
    expect(tree[0]?.children.map((node) => node.name)).toEqual(["(blank)", "open"]);
  });

  test("a member the viewer has no row of is counted as none, not as unknown", () => {
    const tree = treeOf(all, [{ path: ["fell"], rows: 2 }]);
    expect(tree.map((node) => node.seen)).toEqual([2, 0]);
  });

  test("a member whose parent is missing stands at the top", () => {
    expect(treeOf([{ path: ["gone", "leaf"], rows: 1 }], null).map((node) => node.name)).toEqual(["leaf"]);
  });

  test("are listed by their levels, or by their key alone", () => {
    expect(listedPath([1, 2, 3], true)).toEqual([3]);
    expect(listedPath(["fell", "open"], false)).toEqual(["fell", "open"]);
    expect(shownPath(["fell", { viewer: "areas" }])).toBe("fell › the viewer’s areas");
  });
});

describe("rows at or beneath a member", () => {
  const model = {
    name: "m",
    tables: [
      {
        name: "site",
        columns: [
          { name: "area", type: "text" },
          { name: "district", type: "text" },
          { name: "id", type: "integer" },
        ],
      },
    ],
  } as never;
  const levels = { name: "places", table: "site", levels: ["area", "district"] } as never;
  const parents = { name: "tree", table: "site", key: "id", parent: "under" } as never;
  const node = (path: unknown[], children: Node[] = []): Node => ({ key: pathKey(path), path, name: "", rows: 1, seen: null, children });

  test("are said by the levels down to it", () => {
    expect(atOrBeneath(model, levels, node(["fell", null]))).toBe("area = 'fell' AND district IS NULL");
  });

  test("are said by all keys beneath it", () => {
    expect(atOrBeneath(model, parents, node([1], [node([1, 2]), node([1, 3])]))).toBe("id IN (1, 2, 3)");
    expect(atOrBeneath(model, parents, node([1, 2]))).toBe("id = 2");
  });

  test("become one more alternative of the change sentence", () => {
    const role = { name: "r", kind: "grant" as const, sentences: [] };
    const once = withChange(role, "site", "area = 'fell'");
    expect(once).toEqual([{ change: { table: "site", update: "area = 'fell'" } }]);
    const twice = withChange({ ...role, sentences: once }, "site", "area = 'marsh'");
    expect(twice[0]?.change?.update).toBe("area = 'fell' OR (area = 'marsh')");
    expect(mayChange({ ...role, sentences: twice }, "site", "area = 'marsh'")).toBe(true);
    expect(mayChange({ ...role, sentences: twice }, "site", "area = 'moss'")).toBe(false);
  });
});
