// @vitest-environment jsdom
import { fireEvent, screen, waitFor } from "@testing-library/react";
import { useState } from "react";
import { expect, test, vi } from "vitest";
import type { Clause } from "../../src/api/client";
import { ConditionBuilder } from "../../src/ui/conditions/ConditionBuilder";
import { columnSubjects } from "../../src/ui/conditions/clauses";
import { MODEL } from "../model";
import { type Answers, checked, drawn } from "./bench";

const FELL = { table: "site", column: "area", kind: "values", values: ["fell"], type: "text", text: "area = 'fell'" } as unknown as Clause;
const SUBJECTS = columnSubjects(MODEL.document, MODEL.reaches, "site");

function Bench({ first, seen }: { first: string; seen: (where: string) => void }) {
  const [where, setWhere] = useState(first);
  return (
    <ConditionBuilder
      model="m"
      table="site"
      kind="rows"
      where={where}
      onChange={(next) => {
        seen(next);
        setWhere(next);
      }}
      subjects={SUBJECTS}
      attributes={[]}
      label="Condition"
      hint=""
      empty="say which rows"
    />
  );
}

function built(where: string, answers: Answers) {
  const seen = vi.fn<(where: string) => void>();
  drawn(<Bench first={where} seen={seen} />, answers);
  return () => seen.mock.lastCall?.[0];
}

test("an empty condition says what it means and asks the server nothing", () => {
  const calls = drawn(<Bench first="" seen={() => undefined} />);
  expect(screen.getByTestId("check-verdict").textContent).toBe("say which rows");
  expect(calls.filter((call) => call.address === "POST /api/check")).toEqual([]);
});

test("a value that is picked is written into the text", async () => {
  const last = built("area = 'fell'", {
    "POST /api/check": checked({ joined: "and", negated: false, parts: [FELL] }),
    "GET /api/models/m/values/site/area": {
      total: 2,
      values: [
        { value: "fell", rows: 2 },
        { value: "moor", rows: 1 },
      ],
    },
  });
  fireEvent.click(await screen.findByRole("checkbox", { name: /moor/ }));
  expect(last()).toBe("area IN ('fell', 'moor')");
});

test("a text that does not check out is said in a sentence, and its nearest name is one press away", async () => {
  const last = built("aera = 'fell'", {
    "POST /api/check": checked(null, {
      code: "unknown_name",
      message: "aera is no column of site.",
      start: 0,
      end: 4,
      nearest: "area",
      path: "",
    } as never),
  });
  await waitFor(() => expect(screen.getByRole("alert").textContent).toContain("aera is no column of site."));
  fireEvent.click(screen.getByRole("button", { name: "area" }));
  expect(last()).toBe("area = 'fell'");
});

test("a condition that carries a comment is edited as text alone", async () => {
  built("area = 'fell' -- the old ones", { "POST /api/check": checked(null) });
  await screen.findByText(/carries a comment/);
  expect(screen.queryByRole("combobox")).toBeNull();
});
