const BROWSERS: [RegExp, string][] = [
  [/\bEdg(?:e|A|iOS)?\/(\d+)/, "Edge"],
  [/\bOPR\/(\d+)/, "Opera"],
  [/\b(?:Firefox|FxiOS)\/(\d+)/, "Firefox"],
  [/\b(?:HeadlessChrome|Chrome|CriOS|Chromium)\/(\d+)/, "Chrome"],
  [/\bVersion\/(\d+)[^ ]* .*Safari\//, "Safari"],
];
const SYSTEMS: [RegExp, string][] = [
  [/Windows/, "Windows"],
  [/iPhone|iPad/, "iOS"],
  [/Mac OS X/, "macOS"],
  [/Android/, "Android"],
  [/Linux/, "Linux"],
];

/** What a browser says of itself, in a few words: *Firefox 140 on Linux*. Another program keeps the name it gives. */
export function program(agent: string): string {
  const browser = BROWSERS.map(([pattern, name]) => [pattern.exec(agent)?.[1], name] as const).find(([version]) => version);
  const system = SYSTEMS.find(([pattern]) => pattern.test(agent))?.[1];
  if (browser) return `${browser[1]} ${browser[0]}${system ? ` on ${system}` : ""}`;
  return agent || "an unknown program";
}
