import { useQuery } from "@tanstack/react-query";
import type { Schemas } from "../api/client";
import { queries } from "../api/queries";

export type Act = Schemas["SignedIn"]["acts"][number];

/** What the account signed in may do: `may` in some scope, `everywhere` over everything. The server looks at every request again. */
export function useRights() {
  const session = useQuery(queries.session());
  const account = session.data?.account;
  return {
    login: account?.login ?? "",
    may: (...acts: Act[]) => acts.some((act) => account?.acts.includes(act)),
    everywhere: (...acts: Act[]) => acts.some((act) => account?.everywhere.includes(act)),
    keepsAll: (Object.keys(LABELS) as Act[]).every((act) => account?.everywhere.includes(act)),
  };
}

const LABELS: Record<Act, string> = {
  "look-shapes": "look, without values",
  "look-values": "look, with values",
  roles: "write roles",
  map: "map roles",
  people: "keep people",
  links: "one-time links",
  models: "keep models",
  sources: "keep sources",
  pages: "write pages",
  release: "release",
  checks: "keep checks",
  trail: "read the trail",
  "stand-in": "stand in",
  settings: "settings",
};

/** An act in a few words. */
export function actLabel(act: Act): string {
  return LABELS[act];
}

/** The screens of the workspace, and the acts of which any one shows a screen. */
export const SCREENS: { path: string; label: string; acts: Act[] }[] = [
  { path: "overview", label: "Overview", acts: ["look-shapes", "release", "checks"] },
  { path: "models", label: "Models", acts: ["models", "roles", "look-shapes", "release"] },
  { path: "people", label: "People", acts: ["people", "map", "look-shapes", "links"] },
  { path: "roles", label: "Roles", acts: ["roles", "map", "look-shapes", "release"] },
  { path: "pages", label: "Pages", acts: ["pages", "roles", "look-shapes"] },
  { path: "viewers", label: "Viewers", acts: ["look-shapes"] },
  { path: "reach", label: "Reach", acts: ["look-shapes"] },
  { path: "checks", label: "Checks", acts: ["checks", "release", "look-values"] },
  { path: "releases", label: "Releases", acts: ["release", "roles", "models", "pages"] },
  { path: "trail", label: "Trail", acts: ["trail"] },
  { path: "settings", label: "Settings", acts: ["settings", "sources"] },
];
