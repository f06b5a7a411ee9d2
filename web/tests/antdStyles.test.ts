import { expect, test } from "vitest";
import { written } from "../antdStyles";

test("the styles of parts reach nothing else on the page", () => {
  const rules = written().replace(/@keyframes [^{]+\{(?:[^{}]*\{[^{}]*\})*\}/g, "");
  const selectors = [...rules.matchAll(/([^{}]+)\{[^{}]*\}/g)].flatMap(([, names]) => names?.split(",") ?? []);
  expect(selectors.length).toBeGreaterThan(500);
  expect(selectors.filter((name) => !/ant-|anticon|css-var/.test(name))).toEqual([]);
});

test("they hold what is imported, and what that is made of", () => {
  const css = written();
  for (const part of ["btn", "select", "modal", "picker", "empty", "dropdown-menu", "message"]) expect(css).toContain(`.ant-${part}`);
  expect(css).not.toContain(".ant-carousel");
});
