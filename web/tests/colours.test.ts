import { describe, expect, test } from "vitest";
import { type ColourName, colours, type Mode } from "../src/state/theme";

/** How light a colour is, as the Web Content Accessibility Guidelines reckon it. */
function luminance(hex: string): number {
  const [red = 0, green = 0, blue = 0] = [1, 3, 5].map((place) => {
    const part = Number.parseInt(hex.slice(place, place + 2), 16) / 255;
    return part <= 0.04045 ? part / 12.92 : ((part + 0.055) / 1.055) ** 2.4;
  });
  return 0.2126 * red + 0.7152 * green + 0.0722 * blue;
}

function contrast(one: string, other: string): number {
  const [dark = 0, light = 0] = [luminance(one), luminance(other)].sort((first, second) => first - second);
  return (light + 0.05) / (dark + 0.05);
}

/** What is written on what. */
const WRITTEN: [ColourName, ColourName[]][] = [
  ["ink", ["paper", "panel", "raised", "tray", "heather-soft", "moss-soft", "gorse-soft", "rust-soft", "tarn-soft"]],
  ["soft", ["paper", "panel", "raised", "tray"]],
  ["heather-ink", ["heather-soft", "panel", "raised"]],
  ["gorse-ink", ["gorse-soft", "panel"]],
  ["rust", ["paper", "panel", "raised"]],
  ["moss", ["panel", "raised"]],
  ["tarn", ["panel", "raised"]],
  ["rail-ink", ["rail", "rail-on"]],
];

describe.each<Mode>(["light", "dark"])("in %s colours", (mode) => {
  const all = colours(mode);

  test.each(WRITTEN.flatMap(([text, grounds]) => grounds.map((ground) => [text, ground] as const)))("%s is read on %s", (text, ground) => {
    expect(contrast(all[text], all[ground])).toBeGreaterThanOrEqual(4.5);
  });

  test.each<ColourName>(["viewer-0", "viewer-a", "viewer-b", "viewer-c", "viewer-d"])("white is read on %s", (ground) => {
    expect(contrast("#ffffff", all[ground])).toBeGreaterThanOrEqual(4.5);
  });
});

test("each pinned viewer has a colour of their own", () => {
  for (const mode of ["light", "dark"] as const) {
    const all = colours(mode);
    expect(new Set([all["viewer-0"], all["viewer-a"], all["viewer-b"], all["viewer-c"], all["viewer-d"]]).size).toBe(5);
  }
});
