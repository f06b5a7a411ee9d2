import type { Schemas } from "../../api/client";

export type ReachClass = Schemas["ReachLine"];
export type Seen = "clear" | "masked" | "hidden" | "mixed";
const STATES: Record<string, Seen> = { c: "clear", m: "masked", h: "hidden", x: "mixed" };
export type Grouping = "class" | "organization" | "group" | "role" | "person";
export type Person = { login: string; name: string; organization: string | null; groups: string[] };

/** One line of Reach: people, and of what they see the least and the most. */
export type ReachLine = {
  key: string;
  title: string;
  logins: string[];
  roles: string[];
  classes: ReachClass[];
  /** What of it is otherwise than in what it is compared with, by crossing, with how it was. */
  otherwise: Map<string, string[]>;
};

type Labels = { organizations: Map<string, string>; groups: Map<string, string>; roles: Map<string, string> };

/** The classes as lines: each alone, or the people of them by organization, group, role or person. */
export function reachLines(classes: ReachClass[], grouping: Grouping, people: Map<string, Person>, labels: Labels): ReachLine[] {
  const name = (login: string) => people.get(login)?.name ?? login;
  if (grouping === "class") return classes.map((item) => lineOf(item.logins[0] ?? "", titleOf(item.logins, name), item.logins, [item]));
  const found = new Map<string, { title: string; logins: string[]; classes: Set<ReachClass> }>();
  for (const item of classes) {
    for (const login of item.logins) {
      for (const [key, title] of circlesOf(login, item, grouping, people, labels)) {
        const known = found.get(key) ?? { title, logins: [], classes: new Set<ReachClass>() };
        known.logins.push(login);
        known.classes.add(item);
        found.set(key, known);
      }
    }
  }
  return [...found]
    .sort(([, one], [, other]) => one.title.localeCompare(other.title))
    .map(([key, item]) => lineOf(key, item.title, item.logins.sort(), [...item.classes]));
}

function circlesOf(login: string, item: ReachClass, grouping: Grouping, people: Map<string, Person>, labels: Labels): [string, string][] {
  const person = people.get(login);
  switch (grouping) {
    case "person":
      return [[login, person?.name ?? login]];
    case "organization": {
      const key = person?.organization ?? "";
      return [[key, labels.organizations.get(key) ?? (key || "no organization")]];
    }
    case "group":
      return (person?.groups.length ?? 0) > 0
        ? (person?.groups ?? []).map((key) => [key, labels.groups.get(key) ?? key])
        : [["", "in no group"]];
    case "role":
      return item.roles.length > 0 ? item.roles.map((key) => [key, labels.roles.get(key) ?? key]) : [["", "no role"]];
    case "class":
      return [];
  }
}

function titleOf(logins: string[], name: (login: string) => string): string {
  const first = logins.slice(0, 2).map(name).join(", ");
  return logins.length > 2 ? `${first} +${(logins.length - 2).toLocaleString("en-GB")}` : first;
}

function lineOf(key: string, title: string, logins: string[], classes: ReachClass[]): ReachLine {
  const otherwise = new Map<string, string[]>();
  for (const item of classes) {
    for (const crossing of item.otherwise ?? []) {
      otherwise.set(crossing.what, [...new Set([...(otherwise.get(crossing.what) ?? []), ...crossing.before])]);
    }
  }
  return { key, title, logins, roles: [...new Set(classes.flatMap((item) => item.roles))].sort(), classes, otherwise };
}

/** The least and the most rows that people of a line see of a table, which stands at a place among the tables. */
export function rowsOf(line: ReachLine, at: number): { least: number; most: number } {
  const seen = line.classes.map((item) => item.rows[at] ?? 0);
  return { least: Math.min(...seen), most: Math.max(...seen) };
}

/** How many rows a table has for the people of a line: in the one content they all read, or, of several, in the largest. */
export function sizeOf(line: ReachLine, table: Schemas["TableName"]): number {
  const sizes = new Set(line.classes.map((item) => item.of?.[table.name] ?? table.of));
  return sizes.size === 1 ? ([...sizes][0] ?? table.of) : table.of;
}

/** The state of the column at a place among the columns for everybody of a line; mixed where they differ. */
export function stateOf(line: ReachLine, at: number): Seen {
  const states = new Set(line.classes.map((item) => STATES[item.states[at] ?? "h"] ?? "hidden"));
  return states.size === 1 ? ([...states][0] ?? "hidden") : "mixed";
}

/** Of a line's people, whether all, some or none open a page. */
export function opensOf(line: ReachLine, page: string): "all" | "some" | "none" {
  const opening = line.classes.filter((item) => item.pages.includes(page)).length;
  return opening === 0 ? "none" : opening === line.classes.length ? "all" : "some";
}

export type Filter = { kind: "everybody" } | { kind: "no_role" } | { kind: "quiet" } | { kind: "changed" } | { kind: "table"; at: number };

/** The classes narrowed to the people a filter means; classes of which nobody is left are gone. */
export function narrowed(classes: ReachClass[], filter: Filter, quiet: ReadonlySet<string>): ReachClass[] {
  switch (filter.kind) {
    case "everybody":
      return classes;
    case "no_role":
      return classes.filter((item) => item.roles.length === 0);
    case "changed":
      return classes.filter((item) => (item.otherwise ?? []).length > 0);
    case "table":
      return classes.filter((item) => (item.rows[filter.at] ?? 0) > 0);
    case "quiet":
      return classes
        .map((item) => ({ ...item, logins: item.logins.filter((login) => quiet.has(login)) }))
        .filter((item) => item.logins.length > 0);
  }
}

/** As they come, by people, or by the rows of the table at a place. */
export type Sorting = "first" | "people" | number;

/** Lines sorted; those equal stay in their order. */
export function sorted(lines: ReachLine[], by: Sorting): ReachLine[] {
  if (by === "first") return lines;
  const weight = (line: ReachLine) => (by === "people" ? line.logins.length : rowsOf(line, by).most);
  return [...lines].sort((one, other) => weight(other) - weight(one));
}
