import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, configure, render } from "@testing-library/react";
import { App } from "antd";
import type { ReactNode } from "react";
import { MemoryRouter } from "react-router-dom";
import { afterEach, beforeAll, vi } from "vitest";
import vocabulary from "../../../tests/cases/vocabulary.json";
import type { Schemas } from "../../src/api/client";
import { AskingProvider } from "../../src/state/asking";
import { WorkbenchProvider } from "../../src/state/workbench";

/** What the server answers, by method and path; a function gets the body. */
export type Answers = Record<string, unknown | ((body: never) => unknown)>;
export type Call = { address: string; body: unknown };

const KNOWN: Answers = {
  "GET /api/state": { changes: 0, live: 1, models: [{ name: "m", label: "The model" }], as_of: "2026-03-31" },
  "GET /api/vocabulary": { viewer: [{ name: "login", many: false }], functions: ["UPPER"], aggregates: ["SUM"], masks: vocabulary.masks },
  "GET /api/people": {
    people: [{ login: "ann", name: "Ann", enabled: true, groups: [], kind: "person" }],
    organizations: [],
    groups: [],
    attributes: [],
  },
  "GET /api/directory/held": { labels: {}, held: {} },
  "GET /api/roles": { roles: [], deleted: [] },
  "GET /api/pages": { state: "draft", shelves: [{ name: "work", label: "Work", version: 1, pages: [] }] },
  "POST /api/rows": { columns: [], matching: 0, rows: [], visible: [0], listed: [0], refused: [null] },
  "POST /api/evaluate": {
    state: "draft",
    unsaved: false,
    viewers: [{ viewer: null, answers: [{ members: [{ path: ["fell"], rows: 2 }] }] }],
    unseen: [],
  },
  "POST /api/entitlements/columns": {
    people: [{ column: "login", person_is: "login", found: 2, of: 2 }],
    matches: [{ column: "area", through: "area", found: 2, of: 2 }],
  },
  "POST /api/entitlements/lines": { columns: ["login", "area"], total: 0, read: 0, faulty: 0, open: 0, lines: [] },
  "POST /api/whole-totals": { found: [] },
};

/** The clauses the server reads in the conditions these tests write. */
export function checked(group: Schemas["Group"] | null, problem: Schemas["ProblemShape"] | null = null): Schemas["CheckAnswer"] {
  return { valid: problem === null, group, problem } as Schemas["CheckAnswer"];
}

/** Draws a part of the interface before a server that answers so, and gives every call it makes. */
export function drawn(part: ReactNode, answers: Answers = {}): Call[] {
  const calls: Call[] = [];
  const known = { ...KNOWN, ...answers };
  vi.stubGlobal("fetch", async (request: Request) => {
    const address = `${request.method} ${new URL(request.url).pathname}`;
    const text = request.method === "GET" ? "" : await request.clone().text();
    const body = text ? JSON.parse(text) : undefined;
    calls.push({ address, body });
    const found = known[address];
    const answer = typeof found === "function" ? (found as (body: unknown) => unknown)(body) : found;
    if (answer instanceof Response) return answer;
    return Response.json(answer ?? { error: { code: "not_found", message: `no answer for ${address}`, problems: [] } }, {
      status: answer ? 200 : 404,
    });
  });
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  render(
    <QueryClientProvider client={client}>
      <App>
        <MemoryRouter>
          <WorkbenchProvider account="boss" first="draft">
            <AskingProvider>{part}</AskingProvider>
          </WorkbenchProvider>
        </MemoryRouter>
      </App>
    </QueryClientProvider>,
  );
  return calls;
}

// Every style sheet would be computed for every element, to see whether it is hidden.
configure({ defaultHidden: true });

beforeAll(() => {
  // What jsdom does not have.
  vi.stubGlobal("matchMedia", (query: string) => ({
    matches: false,
    media: query,
    addListener() {},
    removeListener() {},
    addEventListener() {},
    removeEventListener() {},
  }));
  vi.stubGlobal(
    "ResizeObserver",
    class {
      observe() {}
      unobserve() {}
      disconnect() {}
    },
  );
  // jsdom would match every rule of every sheet for each name that is looked up; nothing here depends on the sheets.
  vi.stubGlobal("getComputedStyle", (element: HTMLElement) => element.style);
  Element.prototype.scrollIntoView = () => undefined;
  Range.prototype.getClientRects = () => [] as unknown as DOMRectList;
});

afterEach(() => {
  cleanup();
  localStorage.clear();
});
