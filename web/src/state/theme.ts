/** The colours of Moorland, named after what grows and lies on a moor. Every colour on screen comes from here. */
const light = {
  paper: "#f6f4ee",
  panel: "#fffdf8",
  raised: "#ffffff",
  tray: "#faf8f2",
  ink: "#2a2521",
  soft: "#655d53",
  line: "#ddd6c8",
  line2: "#ebe6da",
  hatch: "#cfc6b6",
  "hatch-strong": "#a99d8a",
  dash: "#a99d8a",
  heather: "#6a4a86",
  "heather-soft": "#efe8f4",
  "heather-ink": "#4b3163",
  moss: "#55733a",
  "moss-soft": "#e6ecdc",
  gorse: "#b98512",
  "gorse-soft": "#f7ecd2",
  "gorse-line": "#e2c88a",
  "gorse-ink": "#76550a",
  rust: "#a3452c",
  "rust-soft": "#f6e2da",
  tarn: "#2c6b7f",
  "tarn-soft": "#dcebef",
  "viewer-0": "#2a2521",
  "viewer-a": "#2c6b7f",
  "viewer-b": "#a3452c",
  "viewer-c": "#55733a",
  "viewer-d": "#6a4a86",
  rail: "#2f2a26",
  "rail-on": "#423a34",
  "rail-ink": "#d9d0c2",
  "rail-edge": "#b594d1",
};

const dark: typeof light = {
  paper: "#1e1b18",
  panel: "#262220",
  raised: "#2c2825",
  tray: "#221f1c",
  ink: "#ece5d8",
  soft: "#b3a899",
  line: "#463f38",
  line2: "#38322d",
  hatch: "#51483e",
  "hatch-strong": "#7d7163",
  dash: "#7d7163",
  heather: "#b594d1",
  "heather-soft": "#3a2f45",
  "heather-ink": "#dcc8ec",
  moss: "#8fb06e",
  "moss-soft": "#323b29",
  gorse: "#d9a83c",
  "gorse-soft": "#3f3521",
  "gorse-line": "#6d5a2c",
  "gorse-ink": "#ecc979",
  rust: "#e08a6e",
  "rust-soft": "#472c23",
  tarn: "#7db8cb",
  "tarn-soft": "#233a42",
  "viewer-0": "#6d6256",
  "viewer-a": "#2c6b7f",
  "viewer-b": "#a3452c",
  "viewer-c": "#55733a",
  "viewer-d": "#6a4a86",
  rail: "#151311",
  "rail-on": "#2c2622",
  "rail-ink": "#cfc5b6",
  "rail-edge": "#b594d1",
};

export type Mode = "light" | "dark";
export type ColourName = keyof typeof light;

export function colours(mode: Mode): typeof light {
  return mode === "dark" ? dark : light;
}

/** Makes the colours available to style sheets as `--name`. */
export function applyColours(mode: Mode): void {
  const root = document.documentElement;
  for (const [name, value] of Object.entries(colours(mode))) root.style.setProperty(`--${name}`, value);
  root.dataset.mode = mode;
}

export const textFont = '"Atkinson Hyperlegible Next Variable", "Atkinson Hyperlegible Next", system-ui, sans-serif';
export const codeFont = '"Atkinson Hyperlegible Mono Variable", ui-monospace, monospace';

/** Whether this person asked their machine for as little motion as can be. */
export function prefersStillness(): boolean {
  return window.matchMedia("(prefers-reduced-motion: reduce)").matches;
}
