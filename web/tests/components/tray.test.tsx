// @vitest-environment jsdom
import { fireEvent, screen } from "@testing-library/react";
import { expect, test } from "vitest";
import { Tray } from "../../src/app/Tray";
import { drawn } from "./bench";

const pressed = (name: RegExp) => screen.getByRole("button", { name }).getAttribute("aria-pressed");

async function pinned(): Promise<void> {
  drawn(<Tray />);
  fireEvent.click(screen.getByRole("button", { name: "+ pin a viewer" }));
  fireEvent.mouseDown(await screen.findByRole("combobox", { name: "Pin a person" }));
  fireEvent.click(await screen.findByTitle("Ann · ann"));
}

test("a pinned person is in focus and says whose eyes they are", async () => {
  await pinned();
  expect(screen.getByRole("button", { name: /^A\W*Ann$/ }).getAttribute("aria-pressed")).toBe("true");
  expect(pressed(/all data/)).toBe("false");
});

test("keys move the focus between all data and the pinned", async () => {
  await pinned();
  fireEvent.keyDown(window, { key: "0" });
  expect(pressed(/all data/)).toBe("true");
  fireEvent.keyDown(window, { key: "1" });
  expect(pressed(/all data/)).toBe("false");
});

test("a key beyond the pinned moves nothing", async () => {
  await pinned();
  fireEvent.keyDown(window, { key: "3" });
  expect(pressed(/all data/)).toBe("false");
});

test("unpinning who is in focus goes back to all data", async () => {
  await pinned();
  fireEvent.click(screen.getByRole("button", { name: "Unpin Ann" }));
  expect(pressed(/all data/)).toBe("true");
  expect(screen.queryByText(/Ann/)).toBeNull();
});
