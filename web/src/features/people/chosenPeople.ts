import type { PeopleData } from "../../state/directory";
import type { Chosen } from "./Tree";

/** Everybody below an organization, or in a group and the groups inside it. */
export function chosenPeople(data: PeopleData, chosen: Chosen, search: string, only: string) {
  const within = new Set<string>();
  if (chosen.kind !== "all") {
    within.add(chosen.name);
    for (const name of within) {
      if (chosen.kind === "organization") for (const item of data.organizations) if (item.parent === name) within.add(item.name);
      if (chosen.kind === "group") for (const inner of data.groups.find((item) => item.name === name)?.groups ?? []) within.add(inner);
    }
  }
  const members =
    chosen.kind === "group" ? new Set(data.groups.filter((group) => within.has(group.name)).flatMap((group) => group.users)) : null;
  const wanted = search.trim().toLowerCase();
  return data.people.filter((person) => {
    if (chosen.kind === "organization" && !within.has(person.organization ?? "")) return false;
    if (members && !members.has(person.login)) return false;
    if (only === "enabled" && !person.enabled) return false;
    if (only === "disabled" && person.enabled) return false;
    if (only === "no-role" && data.held && person.roles.length > 0) return false;
    if (only === "services" && person.kind !== "service") return false;
    return wanted === "" || `${person.name} ${person.login} ${person.email ?? ""}`.toLowerCase().includes(wanted);
  });
}
