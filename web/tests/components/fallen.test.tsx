// @vitest-environment jsdom
import { fireEvent, render, screen } from "@testing-library/react";
import { expect, test, vi } from "vitest";
import { Fallen } from "../../src/ui/Fallen";

let broken = true;

function Screen() {
  if (broken) throw new Error("a part that fell over");
  return <p>whole</p>;
}

test("a part that falls over says so, and is tried again by hand or at another address", () => {
  vi.spyOn(console, "error").mockImplementation(() => undefined);
  broken = true;
  const { rerender } = render(
    <Fallen at="/one">
      <Screen />
    </Fallen>,
  );
  expect(screen.getByRole("alert").textContent).toContain("This part of the screen fell over.");
  broken = false;
  fireEvent.click(screen.getByText("Try it again"));
  expect(screen.getByText("whole")).toBeTruthy();
  broken = true;
  rerender(
    <Fallen at="/two">
      <Screen />
    </Fallen>,
  );
  expect(screen.getByRole("alert")).toBeTruthy();
  broken = false;
  rerender(
    <Fallen at="/three">
      <Screen />
    </Fallen>,
  );
  expect(screen.getByText("whole")).toBeTruthy();
});
