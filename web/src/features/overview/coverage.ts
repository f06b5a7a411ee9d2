import type { Schemas } from "../../api/client";

export type ReachClass = Schemas["ReachLine"];

/** People something is told about: a group, the holders of a role, somebody pinned. */
export interface Circle {
  key: string;
  label: string;
  logins: string[];
}

export type Covered = "all" | "part" | "none";

/** How much of one thing some people see: all of it, none, or between so much and so much (in percent). */
export interface Coverage {
  state: Covered;
  least: number;
  most: number;
  people: number;
}

/** Whom each login is of, among the classes; people who are in none see nothing. */
function classesOf(classes: ReachClass[], circle: Circle): ReachClass[] {
  const wanted = new Set(circle.logins);
  return classes.filter((item) => item.logins.some((login) => wanted.has(login)));
}

export function coverageOfTable(classes: ReachClass[], circle: Circle, place: number, of: number): Coverage {
  const shares = classesOf(classes, circle).map((item) => (of === 0 ? 0 : (100 * (item.rows[place] ?? 0)) / of));
  return covered(shares, circle.logins.length);
}

export function coverageOfPage(classes: ReachClass[], circle: Circle, page: string): Coverage {
  const shares = classesOf(classes, circle).map((item) => (item.pages.includes(page) ? 100 : 0));
  return covered(shares, circle.logins.length);
}

/** A cube that exists shows as much as is seen of its rows. */
export function coverageOfCube(classes: ReachClass[], circle: Circle, cube: string, facts: { place: number; of: number }[]): Coverage {
  const of = facts.reduce((sum, fact) => sum + fact.of, 0);
  const seen = (item: ReachClass) => facts.reduce((sum, fact) => sum + (item.rows[fact.place] ?? 0), 0);
  const shares = classesOf(classes, circle).map((item) => (of === 0 || !item.cubes?.includes(cube) ? 0 : (100 * seen(item)) / of));
  return covered(shares, circle.logins.length);
}

function covered(shares: number[], people: number): Coverage {
  const least = shares.length > 0 ? Math.min(...shares) : 0;
  const most = shares.length > 0 ? Math.max(...shares) : 0;
  return { state: most === 0 ? "none" : least === 100 ? "all" : "part", least, most, people };
}

/** A coverage in words: `all`, `none`, `12 %`, `0–40 %`. */
export function inWords({ state, least, most }: Coverage): string {
  if (state !== "part") return state;
  const low = percent(least);
  const high = percent(most);
  return low === high ? `${high} %` : `${low}–${high} %`;
}

/** Whole percents; the smallest share above nothing is told as one, and the largest below everything as 99. */
function percent(share: number): number {
  if (share > 0 && share < 1) return 1;
  return share > 99 && share < 100 ? 99 : Math.round(share);
}
