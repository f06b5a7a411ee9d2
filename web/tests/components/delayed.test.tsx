// @vitest-environment jsdom
import { act, renderHook } from "@testing-library/react";
import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { useDelayed, usePrompt } from "../../src/ui/useDelayed";

beforeEach(() => vi.useFakeTimers());
afterEach(() => vi.useRealTimers());

const pass = (milliseconds: number) => act(() => vi.advanceTimersByTime(milliseconds));

test("what is made anew in each drawing, and written the same, does not draw itself for ever", () => {
  let drawn = 0;
  renderHook(() => {
    drawn += 1;
    return useDelayed({ sentences: [1] }, 50);
  });
  for (let turn = 0; turn < 20; turn += 1) pass(50);
  expect(drawn).toBeLessThan(4);
});

test("a change is told once it has stood still", () => {
  const { result, rerender } = renderHook(({ value }) => useDelayed(value, 50), { initialProps: { value: "a" } });
  rerender({ value: "b" });
  pass(40);
  expect(result.current).toBe("a");
  pass(20);
  expect(result.current).toBe("b");
});

test("a change after a pause is told at once, in one drawing; those that follow quickly, once they pause", () => {
  let drawn = 0;
  const { result, rerender } = renderHook(
    ({ value }) => {
      drawn += 1;
      return usePrompt(value, 40);
    },
    { initialProps: { value: "a" } },
  );
  pass(100);
  const before = drawn;
  rerender({ value: "b" });
  expect([result.current, drawn - before]).toEqual(["b", 1]);
  pass(10);
  rerender({ value: "c" });
  expect(result.current).toBe("b");
  pass(40);
  expect(result.current).toBe("c");
});

test("what changes faster than it is told never goes back", () => {
  const { result, rerender } = renderHook(({ value }) => usePrompt(value, 40), { initialProps: { value: "a" } });
  rerender({ value: "ab" });
  expect(result.current).toBe("ab");
  pass(10);
  rerender({ value: "abc" });
  expect(result.current).toBe("ab");
  pass(50);
  expect(result.current).toBe("abc");
  rerender({ value: "abcd" });
  pass(10);
  rerender({ value: "abcde" });
  expect(result.current).toBe("abcd");
});
