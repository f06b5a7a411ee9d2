import type { Schemas } from "../../api/client";

type Promised = Schemas["Promise"];

/** Names of promises are so long at most. */
const LONGEST = 180;

/** What a verdict about somebody says, as a promise; null where it says nothing that a promise can hold. */
export function promisedWhy(
  login: string,
  person: string,
  about: Schemas["Traced"],
  outcome: "can" | "cannot" | "masked",
  key: string | null,
): Promised | null {
  const sees = outcome !== "cannot";
  if (about.page && (about.action ?? "open") === "open") {
    const pages = sees ? { can_open: [about.page], cannot_open: [] } : { can_open: [], cannot_open: [about.page] };
    return named(`${person} ${sees ? "can" : "cannot"} open ${about.page}`, login, { pages });
  }
  const { model } = about;
  if (!model || about.figure) return null;
  if (about.object) {
    const objects = { model, objects: [about.object] };
    const what = about.object.slice(about.object.indexOf(":") + 1);
    return named(`${person} ${sees ? "sees" : "does not see"} ${what}`, login, sees ? { visible: objects } : { hidden: objects });
  }
  if (about.table && about.row != null && !about.column && !about.measure && !about.change && key !== null) {
    const value = typeof about.row === "string" ? `'${about.row.replaceAll("'", "''")}'` : String(about.row);
    const rows = { model, table: about.table, where: `${quoted(key)} = ${value}`, count: sees ? 1 : 0 };
    return named(`${person} ${sees ? "sees" : "does not see"} ${about.table} ${String(about.row)}`, login, { rows });
  }
  return null;
}

/** A figure of somebody, as a promise. */
export function promisedFigure(login: string, person: string, about: Schemas["BridgeQuestion"], value: number | null): Promised {
  const { model, measure, by = [], key = [], where = null } = about;
  const total = { model, measure, by: by.slice(0, key.length), where, line: key.length > 0 ? key : null, equals: value, tolerance: 0 };
  const place = key.length > 0 ? ` of ${key.map((part) => part ?? "blank").join(" › ")}` : "";
  return named(`${person} has ${value ?? "no"} ${measure}${place}`, login, { total });
}

/** That nobody but these people reaches something; null where it is no subject of a promise, or there are too many. */
export function promisedOnly(about: Schemas["WhoQuestion"], title: string, logins: string[], key: string | null): Promised | null {
  const subject = subjectOf(about, key);
  if (!subject || logins.length > 200) return null;
  const only = { subject, people: logins.map((user) => ({ user })) };
  return { name: `only who may reaches ${title}`.slice(0, LONGEST), must: { only } };
}

function subjectOf(about: Schemas["WhoQuestion"], key: string | null): Schemas["ReachedSubject"] | null {
  const { model, table } = about;
  if (about.page) return { page: about.page };
  if (!model) return null;
  if (about.measure) return (about.by ?? []).length > 0 ? null : { measure: { model, measure: about.measure } };
  if (!table) return null;
  if (about.column && about.row == null && !about.where) return { column: { model, column: `${table}.${about.column}`, state: "clear" } };
  if (about.column) return null;
  if (about.row == null) return { rows: { model, table, where: about.where ?? null } };
  if (key === null) return null;
  const value = typeof about.row === "string" ? `'${about.row.replaceAll("'", "''")}'` : String(about.row);
  return { rows: { model, table, where: `${quoted(key)} = ${value}` } };
}

function named(name: string, viewer: string, must: Schemas["Must"]): Promised {
  return { name: name.slice(0, LONGEST), viewer, must };
}

function quoted(name: string): string {
  return /^[A-Za-z_]\w*$/.test(name) ? name : `"${name.replaceAll('"', '""')}"`;
}
