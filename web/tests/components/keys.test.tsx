// @vitest-environment jsdom
import { fireEvent, screen } from "@testing-library/react";
import { beforeEach, expect, test, vi } from "vitest";
import { type EditKeys, useEditKeys } from "../../src/state/keys";
import { drawn } from "./bench";

const did = { save: vi.fn(), undo: vi.fn(), redo: vi.fn() };

function Bench({ keys }: { keys: EditKeys }) {
  useEditKeys(keys);
  return (
    <>
      <input aria-label="text" />
      <input aria-label="tick" type="checkbox" />
      <textarea aria-label="long" />
    </>
  );
}

beforeEach(() => vi.clearAllMocks());

test.each<[string, object, keyof typeof did]>([
  ["s", { ctrlKey: true }, "save"],
  ["S", { metaKey: true }, "save"],
  ["z", { ctrlKey: true }, "undo"],
  ["Z", { ctrlKey: true, shiftKey: true }, "redo"],
  ["y", { ctrlKey: true }, "redo"],
])("%o with %o does %s, and nothing of the browser's own", (key, held, what) => {
  drawn(<Bench keys={did} />);
  const kept = !fireEvent.keyDown(screen.getByLabelText("tick"), { key, ...held });
  expect(did[what]).toHaveBeenCalledOnce();
  expect(kept).toBe(true);
});

test.each(["text", "long"])("text that is written in the field named %s has an undo of its own, but is saved all the same", (field) => {
  drawn(<Bench keys={did} />);
  fireEvent.keyDown(screen.getByLabelText(field), { key: "z", ctrlKey: true });
  fireEvent.keyDown(screen.getByLabelText(field), { key: "s", ctrlKey: true });
  expect(did.undo).not.toHaveBeenCalled();
  expect(did.save).toHaveBeenCalledOnce();
});

test("letters alone, and with Alt, are nobody's command", () => {
  drawn(<Bench keys={did} />);
  fireEvent.keyDown(document.body, { key: "s" });
  fireEvent.keyDown(document.body, { key: "z", ctrlKey: true, altKey: true });
  expect(did.save).not.toHaveBeenCalled();
  expect(did.undo).not.toHaveBeenCalled();
});

test("where nothing is to be saved yet, the browser does not save the page in its place", () => {
  drawn(<Bench keys={{ save: null }} />);
  expect(fireEvent.keyDown(document.body, { key: "s", ctrlKey: true })).toBe(false);
});

test("where nothing can be saved at all, the key is left to the browser", () => {
  drawn(<Bench keys={{}} />);
  expect(fireEvent.keyDown(document.body, { key: "s", ctrlKey: true })).toBe(true);
});
