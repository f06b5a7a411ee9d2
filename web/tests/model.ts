import type { ModelAnswer } from "../src/api/client";

const SITE = [
  ["id", "integer"],
  ["area", "text"],
  ["rent", "number"],
  ["opened", "date"],
] as const;

/** A small model as the server tells of it. */
export const MODEL = {
  document: {
    name: "m",
    tables: [
      { name: "site", key: "id", columns: SITE.map(([name, type]) => ({ name, type })) },
      {
        name: "scope",
        columns: [
          { name: "login", type: "text" },
          { name: "area", type: "text" },
        ],
      },
    ],
    relationships: [],
    hierarchies: [{ name: "places", table: "site", levels: ["area", "id"] }],
    measures: [{ name: "rent", table: "site", expression: "SUM(rent)" }],
    cubes: [],
  },
  version: 1,
  rows: { site: 5, scope: 2 },
  reaches: { site: [], scope: [] },
  objects: ["table:site", "column:site.area", "column:site.rent", "measure:rent", "tag:money"],
} as unknown as ModelAnswer;
