import type { Schemas } from "../../api/client";
import type { Act } from "../../state/rights";

export type Entry = Schemas["GivenDutyEntry"];
export type Duty = Entry["duty"];
export type Scope = Exclude<Duty["within"], "everything">;
export type Dimension = Schemas["ActEntry"]["dimensions"][number];
export type People = Exclude<NonNullable<Scope["people"]>, "all">;

export const EVERYTHING: Scope = { people: "all", models: "all", roles: "all", shelves: "all", sources: "all", attributes: "all" };

const WORDS: Record<Dimension, [string, string]> = {
  people: ["all people", "people"],
  models: ["all models", "models"],
  roles: ["all roles", "roles"],
  shelves: ["all shelves", "shelves"],
  sources: ["all sources", "sources"],
  attributes: ["all attributes", "attributes"],
};

/** What acts are written in: the parts of a scope that say something for them. */
export function dimensionsOf(acts: Act[], all: Schemas["ActEntry"][]): Dimension[] {
  const found = new Set(all.filter((item) => acts.includes(item.name)).flatMap((item) => item.dimensions));
  return (Object.keys(WORDS) as Dimension[]).filter((dimension) => found.has(dimension));
}

/** Whether a duty puts no bound to an act. */
export function everywhere(duty: Duty, act: Act, all: Schemas["ActEntry"][]): boolean {
  if (duty.within === "everything") return true;
  const scope = duty.within;
  return dimensionsOf([act], all).every((dimension) => scope[dimension] === "all");
}

export type Names = {
  people: Map<string, string>;
  organizations: Map<string, string>;
  groups: Map<string, string>;
  other: Map<string, string>;
};

/** A scope in words, of what its acts are written in only. */
export function scopeInWords(duty: Duty, all: Schemas["ActEntry"][], names: Names): string {
  if (duty.within === "everything") return "everything";
  const scope = duty.within;
  const parts = dimensionsOf(duty.acts, all).map((dimension) => {
    const named = scope[dimension];
    if (named === "all") return WORDS[dimension][0];
    if (named === null || named === undefined) return `no ${WORDS[dimension][1]}`;
    if (Array.isArray(named))
      return named.length === 0 ? `no ${WORDS[dimension][1]}` : named.map((name) => names.other.get(name) ?? name).join(", ");
    const told = [
      ...(named.organizations ?? []).map((name) => `${names.organizations.get(name) ?? name} and below`),
      ...(named.groups ?? []).map((name) => `the group ${names.groups.get(name) ?? name}`),
      ...(named.users ?? []).map((login) => names.people.get(login) ?? login),
    ];
    return told.length === 0 ? "no people" : told.join(", ");
  });
  return parts.length === 0 ? "the workspace" : parts.join(" · ");
}
