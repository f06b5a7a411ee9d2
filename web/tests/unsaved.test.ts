import { describe, expect, test } from "vitest";
import { UnsavedEdits } from "../src/ui/unsaved";

const saved = { label: "saved" };
const step = (number: number) => ({ label: `step ${number}` });

function edited(...steps: number[]): UnsavedEdits<{ label: string }> {
  const edits = new UnsavedEdits<{ label: string }>();
  for (const number of steps) edits.change("role", 3, saved, step(number));
  return edits;
}

describe("unsaved edits", () => {
  test("begin at what was saved, and remember its version", () => {
    expect(edited(1).get("role")).toEqual({ now: step(1), version: 3, past: [saved], future: [] });
  });

  test("are none where nothing changed", () => {
    const edits = new UnsavedEdits<{ label: string }>();
    edits.change("role", 3, saved, { label: "saved" });
    expect(edits.has("role")).toBe(false);
  });

  test("are undone and redone step by step", () => {
    const edits = edited(1, 2);
    edits.undo("role");
    expect(edits.get("role")?.now).toEqual(step(1));
    edits.undo("role");
    expect(edits.get("role")?.now).toEqual(saved);
    edits.undo("role");
    expect(edits.get("role")?.now).toEqual(saved);
    edits.redo("role");
    edits.redo("role");
    edits.redo("role");
    expect(edits.get("role")).toEqual({ now: step(2), version: 3, past: [saved, step(1)], future: [] });
  });

  test("forget what could be redone when something else is written", () => {
    const edits = edited(1, 2);
    edits.undo("role");
    edits.change("role", 3, saved, step(9));
    expect(edits.get("role")).toMatchObject({ past: [saved, step(1)], future: [] });
  });

  test("of one thing leave those of another alone", () => {
    const edits = edited(1);
    edits.change("other", 1, saved, step(5));
    edits.discard("role");
    expect(edits.names()).toEqual(["other"]);
  });

  test("go on as edits of a later version", () => {
    const edits = edited(1);
    edits.rebase("role", 7);
    edits.rebase("nobody", 7);
    expect(edits.get("role")).toMatchObject({ version: 7, now: step(1) });
    expect(edits.has("nobody")).toBe(false);
  });

  test("keep the last two hundred steps", () => {
    const edits = edited(...Array.from({ length: 205 }, (_, index) => index));
    expect(edits.get("role")?.past).toHaveLength(200);
    expect(edits.get("role")?.past.at(-1)).toEqual(step(203));
  });

  test("tell those who draw them, until they stop listening", () => {
    const edits = edited();
    const turns: number[] = [];
    const stop = edits.subscribe(() => turns.push(edits.turns()));
    edits.change("role", 1, saved, step(1));
    edits.undo("role");
    stop();
    edits.forget();
    expect(turns).toEqual([1, 2]);
    expect(edits.names()).toEqual([]);
  });
});
