import type { Schemas } from "../../../api/client";

export type Directory = Schemas["LdapText"];
export type Tried = Schemas["OriginTried"];
export type Setting = (change: Partial<Directory>) => void;

/** The answers of setting a directory up, in order. */
export const STEPS = ["Server", "Who asks", "People", "Groups", "Attributes", "Dry run"] as const;

/** What a directory is set up with at first. */
export function firstWritten(host: string): Directory {
  return {
    kind: "ldap",
    name: "",
    host,
    security: "ldaps",
    bind: "",
    people: { base: "", filter: "(objectClass=inetOrgPerson)", key: "entryUUID", login: "uid", name: "cn", email: "mail", attributes: {} },
    listed: [],
    bounds: { gain: 5, lose: 20, gone_percent: 20 },
    sign_in: true,
  };
}

/** What a step still lacks, in a sentence; null where the next can be gone to. */
export function ready(text: Directory, step: number): string | null {
  if (step === 0) {
    if (!/^[A-Za-z0-9._-]+$/.test(text.name)) return "Give it a name of letters, digits, points and hyphens.";
    return text.host ? null : "Say which machine it is on.";
  }
  if (step === 2) return text.people.base ? null : "Say where people are.";
  return null;
}

/** What an entry's attribute says; names are written without letter case. */
export function entryValues(entry: Schemas["FoundEntry"], name: string | undefined): string[] {
  if (!name) return [];
  const found = Object.entries(entry.values).find(([key]) => key.toLowerCase() === name.toLowerCase());
  return found?.[1] ?? [];
}
