// @vitest-environment jsdom
import { fireEvent, screen, waitFor } from "@testing-library/react";
import { useState } from "react";
import { beforeEach, expect, test } from "vitest";
import type { Model, ModelAnswer } from "../../src/api/client";
import { useModelEdits } from "../../src/features/models/useModelEdits";
import { MODEL } from "../model";
import { drawn } from "./bench";

let number = 0;

/** A model that is saved as it was sent; its label is what is edited. Each test has one of its own, as what can be undone outlives a screen. */
function Bench({ refused = null }: { refused?: (() => Response) | null }) {
  const [model, setModel] = useState<ModelAnswer>({ ...MODEL, document: { ...MODEL.document, name: `m${number}`, label: "as it was" } });
  const edits = useModelEdits(model);
  const saved = (document: Model) => setModel((before) => ({ ...before, document, version: before.version + 1 }));
  taken = (body) => {
    if (refused) return refused();
    saved(body.document);
    return { version: 2 };
  };
  return (
    <>
      <p>{model.document.label}</p>
      <p>{edits.refused?.message}</p>
      {["first", "second"].map((label) => (
        <button key={label} type="button" onClick={() => void edits.save(`the ${label} edit`, (document) => ({ ...document, label }))}>
          {label}
        </button>
      ))}
      <button type="button" disabled={!edits.undo} onClick={() => edits.undo?.()}>
        undo {edits.undoes}
      </button>
      <button type="button" disabled={!edits.redo} onClick={() => edits.redo?.()}>
        redo
      </button>
    </>
  );
}

let taken: (body: { document: Model }) => unknown;

const begun = (refused: (() => Response) | null = null) =>
  drawn(<Bench refused={refused} />, { [`PUT /api/models/m${number}/draft`]: (body: { document: Model }) => taken(body) });

const press = (name: RegExp) => fireEvent.click(screen.getByRole("button", { name }));
const shows = (label: string) => waitFor(() => expect(screen.getByText(label, { selector: "p" })).toBeTruthy());

beforeEach(() => {
  number += 1;
});

test("an edit is saved over the version that was seen", async () => {
  const calls = begun();
  press(/^first$/);
  await shows("first");
  expect(calls.find((call) => call.address.startsWith("PUT"))?.body).toMatchObject({ version: 1, document: { label: "first" } });
});

test("edits are taken back one by one, and done again", async () => {
  begun();
  press(/^first$/);
  await shows("first");
  press(/^second$/);
  await shows("second");
  await waitFor(() => press(/undo the second edit/));
  await shows("first");
  await waitFor(() => press(/undo the first edit/));
  await shows("as it was");
  press(/redo/);
  await shows("first");
});

test("nothing can be done again after another edit", async () => {
  begun();
  press(/^first$/);
  await shows("first");
  await waitFor(() => press(/undo the first edit/));
  await shows("as it was");
  press(/^second$/);
  await shows("second");
  expect(screen.getByRole<HTMLButtonElement>("button", { name: "redo" }).disabled).toBe(true);
});

test("what the server refuses is told in its words, and can not be undone", async () => {
  begun(() => Response.json({ error: { code: "invalid", message: "A role reads this column.", problems: [] } }, { status: 422 }));
  press(/^first$/);
  await shows("A role reads this column.");
  expect(screen.getByRole<HTMLButtonElement>("button", { name: /undo/ }).disabled).toBe(true);
});

test("who changed it meanwhile is told of, and the model is asked for anew", async () => {
  begun(() => Response.json({ error: { code: "stale", message: "Stale.", problems: [] } }, { status: 409 }));
  press(/^first$/);
  await waitFor(() => expect(screen.getByText(/Somebody changed this model meanwhile/)).toBeTruthy());
});
