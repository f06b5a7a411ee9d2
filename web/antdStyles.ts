import { existsSync, readdirSync, readFileSync, statSync } from "node:fs";
import { createRequire } from "node:module";
import { dirname, join, resolve } from "node:path";
import type { Plugin } from "vite";

const NAME = "virtual:antd-styles";
const require = createRequire(import.meta.url);

/**
 * The styles of the parts of Ant Design that are used, as a file whose address `virtual:antd-styles` gives.
 * They are written out at the build: worked out in the browser they cost a fifth of a second at every load.
 */
export function antdStyles(): Plugin {
  let file = "";
  let building = false;
  return {
    name: "antd-styles",
    config: (_, { command }) => {
      building = command === "build";
    },
    buildStart() {
      if (building) file = this.emitFile({ type: "asset", name: "antd.css", source: written() });
    },
    resolveId: (id) => (id === NAME ? `\0${NAME}` : undefined),
    load(id) {
      if (id !== `\0${NAME}`) return undefined;
      if (building) return `export default import.meta.ROLLUP_FILE_URL_${file};`;
      return `export default URL.createObjectURL(new Blob([${JSON.stringify(written())}], { type: "text/css" }));`;
    },
  };
}

/** The style sheet: of the parts that are imported, and nothing that reaches beyond them. */
export function written(): string {
  const antd = require("antd");
  const { createCache, extractStyle, StyleProvider } = require("@ant-design/cssinjs");
  const { extractStyle: render } = require("@ant-design/static-style-extract");
  const { createElement } = require("react");
  const cache = createCache();
  const dressed = (parts: unknown) =>
    createElement(StyleProvider, { cache }, createElement(antd.ConfigProvider, { theme: { hashed: false } }, parts));
  render({ includes: parts().filter((name) => name in antd), customTheme: dressed });
  // Links are links of the page, not of the parts: how they look is ours to say.
  return extractStyle(cache, { plain: true, types: ["style"] }).replace(/(?<=^|\})a(?:[:[][^{]*)?\{[^}]*\}/g, "");
}

/** The parts that are imported somewhere, with those they are made of, by name. */
function parts(): string[] {
  const library = dirname(require.resolve("antd/es/index.js"));
  const seen = new Set<string>();
  const folders = new Set(["message", "notification"]);
  const waiting = [...imported()].map((name) => join(library, inFolder(name), "index.js")).filter(existsSync);
  for (let file = waiting.pop(); file; file = waiting.pop()) {
    if (seen.has(file)) continue;
    seen.add(file);
    const folder = file.slice(library.length + 1).split("/");
    if (folder[1] === "style" && folder[0]) folders.add(folder[0]);
    for (const [, path] of readFileSync(file, "utf8").matchAll(/(?:from|import) ['"](\.[^'"]+)['"]/g)) {
      const at = resolve(dirname(file), path ?? "");
      const found = [at, `${at}.js`, join(at, "index.js")].find((item) => existsSync(item) && statSync(item).isFile());
      if (found) waiting.push(found);
    }
  }
  return [...folders].map((folder) => (folder === "message" || folder === "notification" ? folder : named(folder)));
}

function imported(): Set<string> {
  const sources = join(import.meta.dirname, "src");
  const files = readdirSync(sources, { recursive: true, encoding: "utf8" }).filter((file) => /\.tsx?$/.test(file));
  const lists = files.flatMap((file) => [...readFileSync(join(sources, file), "utf8").matchAll(/import \{([^}]*)\} from "antd"/g)]);
  return new Set(lists.flatMap(([, names]) => (names ?? "").split(",").map((name) => name.trim().split(" ")[0] ?? "")));
}

const inFolder = (name: string) => name.replace(/(?<!^)[A-Z]/g, (letter) => `-${letter}`).toLowerCase();
const named = (folder: string) => folder.replace(/(?:^|-)(.)/g, (_, letter: string) => letter.toUpperCase());
