import { readdirSync, readFileSync } from "node:fs";
import { join, normalize } from "node:path";
import { expect, test } from "vitest";

/** Dependencies point one way: a folder imports from those before it, and a feature from no other feature. */
const ORDER = ["api", "state", "ui", "features", "app", "main"];
const ROOT = join(import.meta.dirname, "../src");

function files(ending: RegExp, folder = ROOT): string[] {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    const path = join(folder, entry.name);
    return entry.isDirectory() ? files(ending, path) : ending.test(entry.name) ? [path] : [];
  });
}

const inside = (path: string) => path.slice(ROOT.length + 1);
const placeOf = (path: string) => inside(path).split("/")[0]?.replace(/\..*/, "") ?? "";
const featureOf = (path: string) => inside(path).match(/^features\/([^/]+)/)?.[1];

function imports(path: string): string[] {
  const found = readFileSync(path, "utf-8").matchAll(/from "(\.[^"]*)"|import\("(\.[^"]*)"\)/g);
  return [...found].map((match) => normalize(join(path, "..", match[1] ?? match[2] ?? "")));
}

test("folders import from those before them only", () => {
  const wrong = files(/\.tsx?$/).flatMap((path) =>
    imports(path)
      .filter((other) => ORDER.indexOf(placeOf(path)) < ORDER.indexOf(placeOf(other)))
      .map((other) => `${inside(path)} → ${inside(other)}`),
  );
  expect(wrong).toEqual([]);
});

test("a feature imports from no other feature", () => {
  const wrong = files(/\.tsx?$/).flatMap((path) =>
    imports(path)
      .filter((other) => featureOf(path) && featureOf(other) && featureOf(path) !== featureOf(other))
      .map((other) => `${inside(path)} → ${inside(other)}`),
  );
  expect(wrong).toEqual([]);
});

/** What stands in every className: a text, or an expression with whatever is within it. */
function classNames(text: string): string[] {
  return [...text.matchAll(/[cC]lassName=(?:"([^"]*)"|\{)/g)].map((match) => {
    if (match[1] !== undefined) return match[1];
    const start = match.index + match[0].length;
    let [end, depth] = [start, 1];
    while (depth > 0 && end < text.length) depth += { "{": 1, "}": -1 }[text[end++] as string] ?? 0;
    // What is compared with is no class, nor is a name that is not in quotes.
    return [
      ...text
        .slice(start, end)
        .replace(/[=!]== "[^"]*"/g, "")
        .matchAll(/"([^"]*)"|`([^`]*)`/g),
    ]
      .map((part) => part[1] ?? part[2])
      .join(" ");
  });
}

test("a class of a feature's stylesheet is used and defined in that feature only", () => {
  const owner = new Map<string, string>();
  const shared = new Set<string>();
  const wrong: string[] = [];
  // The first class of a selector is what it is about; what follows is within it.
  const classes = (path: string) =>
    new Set(
      [...readFileSync(path, "utf-8").matchAll(/(?:^|[},])\s*(?:[a-z]+)?\.([a-zA-Z][\w-]*)(?=[^{}]*\{)/g)].map((match) => match[1] ?? ""),
    );
  for (const sheet of files(/\.css$/)) for (const name of classes(sheet)) if (!featureOf(sheet)) shared.add(name);
  for (const sheet of files(/\.css$/)) {
    const feature = featureOf(sheet);
    if (!feature) continue;
    for (const name of classes(sheet)) {
      if (shared.has(name) || name.startsWith("ant-")) continue;
      const before = owner.get(name);
      if (before !== undefined && before !== feature) wrong.push(`.${name} stands in ${before} and ${feature}`);
      owner.set(name, feature);
    }
  }
  for (const path of files(/\.tsx$/)) {
    for (const given of classNames(readFileSync(path, "utf-8"))) {
      for (const name of given.split(/[^\w-]+/)) {
        const feature = owner.get(name);
        if (feature !== undefined && feature !== featureOf(path)) wrong.push(`.${name} of ${feature} is used in ${inside(path)}`);
      }
    }
  }
  expect([...new Set(wrong)]).toEqual([]);
});
