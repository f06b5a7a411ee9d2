// @vitest-environment jsdom
import { QueryClient } from "@tanstack/react-query";
import { act, render, screen } from "@testing-library/react";
import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { unreached, useUnreached } from "../../src/api/reaching";
import "./bench";

let there: boolean;
const client = new QueryClient();

function Told() {
  return <p>{useUnreached() ? "not reached" : "reached"}</p>;
}

beforeEach(() => {
  vi.useFakeTimers();
  there = false;
  vi.spyOn(client, "invalidateQueries");
  vi.stubGlobal("fetch", () => (there ? Promise.resolve(Response.json({})) : Promise.reject(new TypeError("refused"))));
});

afterEach(async () => {
  there = true;
  await vi.advanceTimersByTimeAsync(4000);
  vi.useRealTimers();
  vi.restoreAllMocks();
});

const later = (seconds: number) => act(() => vi.advanceTimersByTimeAsync(seconds * 1000));

test("a server that is gone is told of until it answers, and what is shown is asked for anew", async () => {
  render(<Told />);
  expect(screen.getByText("reached")).toBeTruthy();
  act(() => unreached(client));
  await later(10);
  expect(screen.getByText("not reached")).toBeTruthy();
  expect(client.invalidateQueries).not.toHaveBeenCalled();
  there = true;
  await later(4);
  expect(screen.getByText("reached")).toBeTruthy();
  expect(client.invalidateQueries).toHaveBeenCalledOnce();
});

test("of many requests that fail at once, one asks whether it is there again", async () => {
  render(<Told />);
  const asked = vi.fn(fetch);
  vi.stubGlobal("fetch", asked);
  act(() => {
    for (let number = 0; number < 20; number++) unreached(client);
  });
  await later(3.5);
  expect(asked).toHaveBeenCalledOnce();
});
