// @vitest-environment jsdom
import { fireEvent, screen, waitFor } from "@testing-library/react";
import { useState } from "react";
import { expect, test } from "vitest";
import type { Role, RoleEntry } from "../../src/api/client";
import { RoleEditor } from "../../src/features/roles/RoleEditor";
import { UnsavedEdits, useUnsaved } from "../../src/ui/unsaved";
import { MODEL } from "../model";
import { drawn } from "./bench";

const entry = (version: number, about: string): RoleEntry => {
  const role: Role = { name: "r", kind: "grant", model: "m", about, sentences: [] };
  return { role, released: role, version, live: true, changed: false, people: 0, assignments: [] };
};

const refused = () => Response.json({ error: { code: "stale", message: "Somebody saved it first.", problems: [] } }, { status: 409 });

/** The role as another window saves it, while it is edited here. */
function Bench({ edits }: { edits: UnsavedEdits<Role> }) {
  useUnsaved(edits);
  const [saved, setSaved] = useState(entry(1, "as it was"));
  return (
    <>
      <button type="button" onClick={() => setSaved(entry(2, "theirs"))}>
        saved elsewhere
      </button>
      <RoleEditor entry={saved} role={edits.get("r")?.now ?? saved.role} edits={edits} model={MODEL} effect={{} as never} />
    </>
  );
}

function edited() {
  const edits = new UnsavedEdits<Role>();
  const before = entry(1, "as it was").role;
  edits.change("r", 1, before, { ...before, about: "mine" });
  const calls = drawn(<Bench edits={edits} />, { "PUT /api/roles/r": refused });
  return { edits, saves: () => calls.filter((call) => call.address === "PUT /api/roles/r") };
}

const save = () => screen.getByRole<HTMLButtonElement>("button", { name: "Save in the draft" });

test("an edit of a version that was saved over is kept, and cannot be saved by chance", () => {
  edited();
  fireEvent.click(screen.getByText("saved elsewhere"));
  expect(screen.getByText("mine")).toBeTruthy();
  expect(save().disabled).toBe(true);
});

test("a save the server refuses as stale is told as somebody else's save", async () => {
  edited();
  fireEvent.click(save());
  await screen.findByText(/Somebody saved this role while you were editing it/);
});

test("keeping mine saves it over the version that was seen", async () => {
  const { saves } = edited();
  fireEvent.click(screen.getByText("saved elsewhere"));
  fireEvent.click(screen.getByRole("button", { name: "Keep my version" }));
  await waitFor(() => expect(save().disabled).toBe(false));
  fireEvent.click(save());
  await waitFor(() => expect(saves()).toHaveLength(1));
  expect(saves()[0]?.body).toMatchObject({ version: 2, role: { about: "mine" } });
});

test("taking theirs drops the edit", () => {
  const { edits } = edited();
  fireEvent.click(screen.getByText("saved elsewhere"));
  fireEvent.click(screen.getByRole("button", { name: "take theirs" }));
  expect(edits.has("r")).toBe(false);
  expect(screen.getByText("theirs")).toBeTruthy();
});
