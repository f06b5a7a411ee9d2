// @vitest-environment jsdom
import { act, renderHook } from "@testing-library/react";
import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { usePrompt } from "../../src/ui/useDelayed";

beforeEach(() => void vi.useFakeTimers());
afterEach(() => void vi.useRealTimers());

const typed = () => renderHook(({ value }) => usePrompt(value, 40), { initialProps: { value: "a" } });
const pause = (milliseconds: number) => act(() => vi.advanceTimersByTime(milliseconds));

test("what changes after a pause is told at once", () => {
  const { result, rerender } = typed();
  rerender({ value: "ab" });
  expect(result.current).toBe("ab");
  pause(100);
  rerender({ value: "abc" });
  expect(result.current).toBe("abc");
});

test("what changes faster is told when it pauses, and never goes back", () => {
  const { result, rerender } = typed();
  rerender({ value: "ab" });
  pause(10);
  rerender({ value: "abc" });
  expect(result.current).toBe("ab");
  pause(50);
  expect(result.current).toBe("abc");
  rerender({ value: "abcd" });
  pause(10);
  rerender({ value: "abcde" });
  expect(result.current).toBe("abcd");
});
