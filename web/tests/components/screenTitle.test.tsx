// @vitest-environment jsdom
import { cleanup, render, screen } from "@testing-library/react";
import { MemoryRouter } from "react-router-dom";
import { afterEach, expect, test } from "vitest";
import { ScreenTitle } from "../../src/app/ScreenTitle";
import { SCREENS } from "../../src/state/rights";

afterEach(cleanup);

function at(path: string) {
  render(
    <MemoryRouter initialEntries={[path]}>
      <ScreenTitle workspace="The works" />
    </MemoryRouter>,
  );
}

test.each(SCREENS.map(({ path, label }) => [path, label]))("%s is named in the tab, and told to whoever listens", (path, label) => {
  at(`/${path}/something/within`);
  expect(document.title).toBe(`${label} · The works · Moorland`);
  expect(screen.getByRole("heading", { level: 1, name: label }).getAttribute("aria-live")).toBe("polite");
});

test.each([
  ["/combine?roles=a", "Combine roles"],
  ["/statement/person/ann", "Statement"],
])("%s, reached from another screen, is named too", (path, label) => {
  at(path);
  expect(document.title).toBe(`${label} · The works · Moorland`);
});
