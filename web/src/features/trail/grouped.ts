import type { Schemas } from "../../api/client";

export type Entry = Schemas["TrailEntry"];

/** Entries somebody would remember as one: of one person, of one kind, close together. Newest first, as they come. */
export interface Group {
  key: number;
  actor: string;
  action: string;
  subjects: string[];
  about: string[];
  from: string;
  until: string;
  entries: Entry[];
}

/** Entries further apart than this are not one. */
const APART = 15 * 60_000;

export function grouped(entries: Entry[]): Group[] {
  const groups: Group[] = [];
  for (const entry of entries) {
    const last = groups.at(-1);
    const near = last && Date.parse(last.from) - Date.parse(entry.at) <= APART;
    if (last && near && last.actor === entry.actor && last.action === entry.action) {
      last.entries.push(entry);
      last.from = entry.at;
      if (!last.subjects.includes(entry.subject)) last.subjects.push(entry.subject);
      for (const login of aboutWhom(entry)) if (!last.about.includes(login)) last.about.push(login);
    } else {
      groups.push({
        key: entry.id,
        actor: entry.actor,
        action: entry.action,
        subjects: [entry.subject],
        about: aboutWhom(entry),
        from: entry.at,
        until: entry.at,
        entries: [entry],
      });
    }
  }
  return groups;
}

function aboutWhom(entry: Entry): string[] {
  const told = entry.details.viewers ?? entry.details.logins;
  return Array.isArray(told) ? told.map(String) : [];
}

const MOST_NAMED = 3;

/** A group as a sentence: what was done, to what, as whom. */
export function said(group: Group): string {
  const named = (items: string[], many: string) =>
    items.length <= MOST_NAMED
      ? items.join(", ")
      : `${items.slice(0, MOST_NAMED).join(", ")} and ${items.length - MOST_NAMED} other ${many}`;
  if (group.action === "look") {
    return `looked as ${named(group.about, "viewers")} at ${named(group.subjects, "things")}`;
  }
  const about = group.about.length > 0 ? `, about ${named(group.about, "people")}` : "";
  return `${group.action}: ${named(group.subjects, "things")}${about}`;
}
