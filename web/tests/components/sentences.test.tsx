// @vitest-environment jsdom
import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { useState } from "react";
import { expect, test, vi } from "vitest";
import type { Sentence } from "../../src/api/client";
import { SentenceCard } from "../../src/features/roles/SentenceCard";
import { MODEL } from "../model";
import { type Answers, checked, drawn } from "./bench";

const EFFECT = { problems: [], fallen: [], fell: [], objects: null, viewers: [] } as never;
const ROLE = { name: "r", kind: "grant" as const, model: "m" };

type BenchProps = { first: Sentence; seen: (sentence: Sentence) => void };

/** One sentence, open, edited as on the bench. */
function Bench({ first, seen }: BenchProps) {
  const [now, setNow] = useState(first);
  return (
    <SentenceCard
      role={{ ...ROLE, sentences: [now] }}
      sentence={now}
      place={0}
      model={MODEL}
      open
      onOpen={() => undefined}
      onChange={(next) => {
        seen(next);
        setNow(next);
      }}
      onRemove={() => undefined}
      onCopy={() => undefined}
      onMove={null}
      problem={undefined}
      redundant={null}
      attributes={[{ name: "areas", type: "text", multiple: true }] as never}
      viewerValues={() => null}
      effect={EFFECT}
    />
  );
}

/** An open sentence; gives what was asked of the server and what the sentence last became. */
function opened(sentence: Sentence, answers: Answers = {}) {
  const seen = vi.fn<(sentence: Sentence) => void>();
  const calls = drawn(<Bench first={sentence} seen={seen} />, {
    "POST /api/check": checked({ joined: "and", negated: false, parts: [] }),
    ...answers,
  });
  return { calls, last: () => seen.mock.lastCall?.[0] };
}

const labelled = (name: string) => screen.getByRole("textbox", { name });

test("rows: another table begins with an empty condition", async () => {
  const { last } = opened({ rows: { table: "site", where: "area = 'fell'" } });
  fireEvent.mouseDown(screen.getByRole("combobox", { name: "Table" }));
  fireEvent.click(await screen.findByTitle("scope"));
  expect(last()?.rows).toEqual({ table: "scope", where: "" });
});

test("rows: the condition is checked under its model and table, and told in words", async () => {
  const clause = { table: "site", column: "area", kind: "values", values: ["fell"], type: "text", text: "area = 'fell'" };
  const { calls } = opened(
    { rows: { table: "site", where: "area = 'fell'" } },
    { "POST /api/check": checked({ joined: "and", negated: false, parts: [clause as never] }) },
  );
  await waitFor(() => expect(screen.getByTestId("sentence-0").textContent).toContain("fell"));
  expect(calls.find((call) => call.address === "POST /api/check")?.body).toEqual({
    model: "m",
    table: "site",
    where: "area = 'fell'",
    kind: "rows",
  });
});

test("entitlement: the columns that look right are offered first", async () => {
  const { calls } = opened({
    entitlement: { table: "site", through: "scope", person: "login", person_is: "login", match: { area: "area" } },
  });
  await waitFor(() => expect(calls.some((call) => call.address === "POST /api/entitlements/columns")).toBe(true));
  await screen.findAllByText(/2 of 2/);
});

test("members: what is seen is said on the tree", async () => {
  const { last } = opened({ members: { hierarchy: "places", unlisted: "hidden", totals: "own", list: [] } });
  await screen.findByText("fell");
  fireEvent.click(screen.getByRole("radio", { name: "visible" }));
  expect(last()?.members?.unlisted).toBe("visible");
});

test("objects: a column is hidden by name, and said to be as above again", async () => {
  const { last } = opened({ objects: { default: "visible", hide: ["tag:money"], show: [] } });
  fireEvent.click(screen.getByRole("button", { name: "Unfold site" }));
  const area = within(screen.getByRole("radiogroup", { name: "area" }));
  fireEvent.click(area.getByRole("radio", { name: "hide" }));
  expect(last()?.objects?.hide).toEqual(["tag:money", "column:site.area"]);
  fireEvent.click(area.getByRole("radio", { name: "as above" }));
  expect(last()?.objects?.hide).toEqual(["tag:money"]);
});

test("objects: what the model no longer has is said, and is taken out", () => {
  const { last } = opened({ objects: { default: "visible", hide: ["measure:gone"], show: [] } });
  fireEvent.click(screen.getByRole("button", { name: "Take it out" }));
  expect(last()?.objects?.hide).toEqual([]);
});

test("mask: kinds, fields and what may enter totals are those the API tells", async () => {
  const { last } = opened({ mask: { column: "site.rent", with: { round: { to: 100 } }, in_totals: "shown" } });
  await screen.findByText("rounded");
  const kinds = within(screen.getByRole("radiogroup", { name: "Shown in its place" })).getAllByRole("radio") as HTMLInputElement[];
  expect(kinds.filter((kind) => !kind.disabled).map((kind) => kind.value)).toEqual(["withhold", "hash", "round"]);
  fireEvent.change(screen.getByRole("spinbutton", { name: "To the nearest" }), { target: { value: "250" } });
  expect(last()?.mask?.with).toEqual({ round: { to: 250 } });
  fireEvent.click(screen.getByText("nothing"));
  expect(last()?.mask).toMatchObject({ with: "withhold", in_totals: "no" });
});

test("beneath: rows are listed or not", async () => {
  const { last } = opened({ beneath: { tables: ["site"], rows: true, export: false } });
  fireEvent.click(screen.getAllByRole("checkbox")[0] as HTMLElement);
  expect(last()?.beneath?.rows).toBe(false);
});

test("change: an act is allowed for every visible row, or under a condition of its own", () => {
  const { last } = opened({ change: { table: "site" } });
  const update = within(screen.getByRole("radiogroup", { name: "update" }));
  fireEvent.click(update.getByRole("radio", { name: "every visible row" }));
  expect(last()?.change).toEqual({ table: "site", update: "TRUE" });
  fireEvent.click(update.getByRole("radio", { name: "where…" }));
  expect(last()?.change).toEqual({ table: "site", update: "area IS NOT NULL" });
  fireEvent.click(update.getByRole("radio", { name: "not allowed" }));
  expect(last()?.change?.update).toBeNull();
});

test("pages: an action is added", async () => {
  const { last } = opened({ pages: { actions: ["open"] } });
  fireEvent.click(screen.getByRole("checkbox", { name: "export" }));
  expect(last()?.pages?.actions).toEqual(["open", "export"]);
});

test("a reason is kept with Enter", async () => {
  const { last } = opened({ pages: { actions: ["open"] } });
  fireEvent.click(screen.getByRole("button", { name: "Sentence actions" }));
  fireEvent.click(await screen.findByText("Give a reason"));
  fireEvent.change(labelled("Reason for this sentence"), { target: { value: "asked for" } });
  fireEvent.blur(labelled("Reason for this sentence"));
  expect(last()?.reason).toBe("asked for");
});
