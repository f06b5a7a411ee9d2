// @vitest-environment jsdom
import { afterEach, describe, expect, test, vi } from "vitest";
import { remember, remembered } from "../src/state/remembered";

afterEach(() => {
  vi.restoreAllMocks();
  localStorage.clear();
});

describe.each([true, false])("a browser that keeps something: %s", (keeps) => {
  const begun = () => {
    if (keeps) return;
    const refuse = () => {
      throw new DOMException("The operation is insecure.", "SecurityError");
    };
    for (const name of ["getItem", "setItem", "removeItem"] as const) vi.spyOn(Storage.prototype, name).mockImplementation(refuse);
  };

  test("nothing is remembered of what was never kept", () => {
    begun();
    expect(remembered("never")).toBeNull();
  });

  test("what was kept is there in this window, until it is forgotten", () => {
    begun();
    remember("mode", "dark");
    expect(remembered("mode")).toBe("dark");
    remember("mode", null);
    expect(remembered("mode")).toBeNull();
  });
});
