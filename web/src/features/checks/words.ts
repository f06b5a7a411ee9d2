import type { Schemas } from "../../api/client";
import { rowValue } from "../../ui/figures";

export type Must = Schemas["Must"];
export type PromiseShape = Schemas["Promise"];

export type Kind = keyof Must;

export const KINDS: { value: Kind; label: string }[] = [
  { value: "rows", label: "so many rows of a table are seen" },
  { value: "total", label: "a figure has a value" },
  { value: "hidden", label: "objects are hidden" },
  { value: "visible", label: "objects are visible" },
  { value: "pages", label: "pages open, or do not" },
  { value: "values", label: "a column shows these values" },
  { value: "same_as", label: "the same as somebody else" },
  { value: "nothing", label: "nothing at all" },
  { value: "only", label: "only these people reach something" },
  { value: "never_both", label: "no one person reaches both of two things" },
  { value: "adds_up", label: "shares add up: each row counts for just one" },
  { value: "covers", label: "shares cover: each row counts for somebody" },
];

/** Whether a promise is about everybody at once: it is for nobody in particular. */
export const isOverAll = (must: Must): boolean => Boolean(must.only ?? must.never_both ?? must.adds_up ?? must.covers);

/** For whom a promise is, in words. */
export function forWhom(viewer: PromiseShape["viewer"], viewers?: PromiseShape["viewers"]): string {
  if (viewers) return viewers === "everyone" ? "everyone" : `each of ${inPeople(viewers)}`;
  if (!viewer) return "over everybody";
  if (typeof viewer === "string") return viewer;
  if ("login" in viewer) return `${viewer.login}${viewer.only_roles ? `, with only ${viewer.only_roles.join(", ")}` : ""}`;
  const { groups = [], organization, attributes = {} } = viewer.imagine;
  const parts = [
    ...(groups.length > 0 ? [`a member of ${groups.join(", ")}`] : []),
    ...(organization ? [`somebody of ${organization}`] : []),
    ...Object.entries(attributes).map(([name, value]) => `${name} ${String(value)}`),
  ];
  return parts.join(", ") || "somebody imagined";
}

const exactly = (value: number | null | undefined): string => rowValue(value, { grouped: true });

/** What must hold, in words. */
export function inWords(must: Must): string {
  if (must.rows) {
    const { table, where, count, at_least, at_most } = must.rows;
    const many =
      count != null ? `exactly ${exactly(count)}` : at_least != null ? `at least ${exactly(at_least)}` : `at most ${exactly(at_most)}`;
    return `sees ${many} rows of ${table}${where ? ` where ${where}` : ""}`;
  }
  if (must.total) {
    const line = must.total.line?.length ? ` for ${must.total.line.map((part) => part ?? "nothing").join(" › ")}` : "";
    return `${must.total.measure}${line}${must.total.where ? ` where ${must.total.where}` : ""} is ${must.total.equals == null ? "nothing" : exactly(must.total.equals)}`;
  }
  if (must.values) {
    const { column, only, includes, excludes } = must.values;
    if (only) return only.length === 0 ? `${column} shows no value` : `${column} shows only ${only.join(", ")}`;
    return includes ? `${column} shows ${includes.join(", ")}` : `${column} shows none of ${(excludes ?? []).join(", ")}`;
  }
  if (must.visible) return `${must.visible.objects.join(", ")} visible`;
  if (must.hidden) return `${must.hidden.objects.join(", ")} hidden`;
  if (must.pages) {
    const { can_open = [], cannot_open = [] } = must.pages;
    return [
      ...(can_open.length ? [`can open ${can_open.join(", ")}`] : []),
      ...(cannot_open.length ? [`cannot open ${cannot_open.join(", ")}`] : []),
    ].join("; ");
  }
  if (must.only) return `only ${must.only.people.map(inPeople).join(", ") || "nobody"} reach ${subject(must.only.subject)}`;
  if (must.never_both) return `nobody reaches both ${must.never_both.map(subject).join(" and ")}`;
  if (must.adds_up) return `each row of ${must.adds_up.measure} counts for exactly one of ${must.adds_up.viewers.map(inPeople).join(", ")}`;
  if (must.covers) return `each row of ${must.covers.measure} counts for at least one of ${must.covers.viewers.map(inPeople).join(", ")}`;
  if (must.same_as) return `sees the same as ${forWhom(must.same_as.viewer)}`;
  return "sees nothing";
}

export type People = Schemas["PeopleOf"];
export type Subject = Schemas["ReachedSubject"];

/** Some people as the value of a choice, `group:stewards`. */
export function peopleKey(people: People): string {
  const kind = (["group", "organization", "role", "user"] as const).find((item) => people[item] != null) ?? "user";
  return `${kind}:${people[kind]}`;
}

/** The people a choice means. */
export function peopleOfKey(key: string): People {
  const colon = key.indexOf(":");
  return { [key.slice(0, colon)]: key.slice(colon + 1) };
}

/** Some people, in words. */
function inPeople(people: People): string {
  return people.user ?? people.group ?? people.organization ?? (people.role ? `holders of ${people.role}` : "nobody");
}

function subject(written: Schemas["ReachedSubject"]): string {
  return (
    written.page ??
    written.column?.column ??
    written.measure?.measure ??
    `rows of ${written.rows?.table}${written.rows?.where ? ` where ${written.rows.where}` : ""}`
  );
}
