import { infiniteQueryOptions, keepPreviousData, queryOptions, useQueryClient } from "@tanstack/react-query";
import type { ParamsOption, RequestBodyOption } from "openapi-fetch";
import type { PathsWithMethod, SuccessResponseJSON } from "openapi-typescript-helpers";
import { useCallback } from "react";
import { ApiError, api, data, type StateName } from "./client";
import { unreached } from "./reaching";
import type { components, paths } from "./schema";

type Shapes = components["schemas"];

/**
 * Every question the interface asks, in one place. The key of a question is its address with all that is sent, so that two
 * questions of one key are the same question, and have one shape.
 */
function ask<M extends "get" | "post", P extends PathsWithMethod<paths, M>>(
  method: M,
  address: P,
  sent: ParamsOption<paths[P][M]> & RequestBodyOption<paths[P][M]>,
) {
  type Answer = SuccessResponseJSON<Required<paths[P]>[M] & Record<string, unknown>>;
  // The addresses are checked above; a call that is one of many cannot be checked again.
  const call = api[method === "get" ? "GET" : "POST"] as (to: P, init: object) => Promise<{ data?: Answer }>;
  return queryOptions<Answer, ApiError, Answer, readonly [M, P, typeof sent]>({
    queryKey: [method, address, sent],
    queryFn: async ({ signal, client, queryKey }) => {
      try {
        return await data(call(address, { ...sent, signal }));
      } catch (error) {
        if (!(error instanceof ApiError) || error.code !== "offline") throw error;
        unreached(client);
        // What was there before stays, with a word about it; where nothing was, that word is all there is.
        const before = client.getQueryData<Answer>(queryKey);
        if (before !== undefined) return before;
        throw new ApiError(0, "offline", "The server does not answer. It is asked again every few seconds.");
      }
    },
  });
}

/** For lists that many screens read: asked again only after a moment, or when something changed. */
const A_WHILE = 10_000;
/** What was shown stays until the new answer is there; a refusal is an answer, not something to try again. */
const SETTLED = { placeholderData: keepPreviousData, retry: false } as const;

/** Which entries of the trail are meant. */
export interface TrailFilters {
  who?: string;
  action?: string;
  about?: string;
  since?: string;
  until?: string;
}

export const queries = {
  session: () => ({ ...ask("get", "/api/session", {}), staleTime: Number.POSITIVE_INFINITY }),
  state: () => ask("get", "/api/state", {}),
  vocabulary: () => ({ ...ask("get", "/api/vocabulary", {}), staleTime: Number.POSITIVE_INFINITY }),

  people: () => ({ ...ask("get", "/api/people", {}), staleTime: A_WHILE }),
  held: () => ({ ...ask("get", "/api/directory/held", {}), staleTime: A_WHILE }),
  attributeVersions: () => ask("get", "/api/directory/attributes", {}),
  person: (login: string, state: StateName) => ({
    ...ask("get", "/api/people/{login}", { params: { path: { login }, query: { state } } }),
    retry: false,
  }),
  personHistory: (login: string) => ask("get", "/api/people/{login}/history", { params: { path: { login } } }),
  copying: (login: string) => ask("get", "/api/people/{login}/copying", { params: { path: { login } } }),
  owns: (login: string) => ask("get", "/api/people/{login}/owns", { params: { path: { login } } }),
  group: (name: string) => ({ ...ask("get", "/api/groups/{name}", { params: { path: { name } } }), retry: false }),
  organization: (name: string) => ({ ...ask("get", "/api/organizations/{name}", { params: { path: { name } } }), retry: false }),

  roles: () => ({ ...ask("get", "/api/roles", {}), staleTime: A_WHILE }),
  roleHolders: (name: string) => ask("get", "/api/roles/{name}/holders", { params: { path: { name } } }),
  roleUses: (name: string) => ask("get", "/api/roles/{name}/uses", { params: { path: { name } } }),
  similar: () => ({ ...ask("get", "/api/similar", {}), staleTime: 30_000 }),
  combined: (body: Shapes["CombineRequest"]) => ({ ...ask("post", "/api/combine", { body }), ...SETTLED }),
  entitlementColumns: (body: Shapes["EvidenceRequest"]) => ({ ...ask("post", "/api/entitlements/columns", { body }), staleTime: 30_000 }),
  entitlementLines: (body: Shapes["EntitlementRequest"]) => ({ ...ask("post", "/api/entitlements/lines", { body }), ...SETTLED }),
  wholeTotals: (body: Shapes["WholeTotalsRequest"]) => ({ ...ask("post", "/api/whole-totals", { body }), ...SETTLED }),

  model: (model: string, state: StateName) => ({
    ...ask("get", "/api/models/{model}", { params: { path: { model }, query: { state } } }),
    staleTime: 60_000,
  }),
  refreshes: (model: string) => ask("get", "/api/models/{model}/refreshes", { params: { path: { model } } }),
  profile: (model: string, table: string) => ({
    ...ask("get", "/api/models/{model}/tables/{table}", { params: { path: { model, table } } }),
    retry: false,
    staleTime: 60_000,
  }),
  values: (model: string, table: string, column: string, search: string) => ({
    ...ask("get", "/api/models/{model}/values/{table}/{column}", { params: { path: { model, table, column }, query: { search } } }),
    placeholderData: keepPreviousData,
    staleTime: 60_000,
  }),
  expression: (model: string, body: Shapes["MeasureRequest"]) => ({
    ...ask("post", "/api/models/{model}/try", { params: { path: { model } }, body }),
    ...SETTLED,
  }),
  lines: (path: Place) => ({ ...ask("get", "/api/models/{model}/tables/{table}/lines", { params: { path } }), retry: false }),
  linesChecked: (path: Place, body: Shapes["LinesCheck"]) => ({
    ...ask("post", "/api/models/{model}/tables/{table}/lines/check", { params: { path }, body }),
    ...SETTLED,
  }),
  linesHistory: (path: Place) => ask("get", "/api/models/{model}/tables/{table}/lines/history", { params: { path } }),
  task: (key: string) => ask("get", "/api/tasks/{key}", { params: { path: { key } } }),

  checked: (body: Shapes["CheckRequest"]) => ({ ...ask("post", "/api/check", { body }), staleTime: 60_000 }),
  evaluated: (body: Shapes["EvaluateRequest"]) => ({ ...ask("post", "/api/evaluate", { body }), ...SETTLED }),
  effect: (body: Shapes["EffectRequest"]) => ({ ...ask("post", "/api/effect", { body }), ...SETTLED }),
  rows: (body: Shapes["AlignedRequest"]) => ({ ...ask("post", "/api/rows", { body }), ...SETTLED }),
  redundant: (body: Shapes["RedundantRequest"]) => ({ ...ask("post", "/api/redundant", { body }), ...SETTLED }),
  sql: (body: Shapes["SqlRequest"]) => ({ ...ask("post", "/api/sql", { body }), ...SETTLED }),
  why: (body: Shapes["WhyRequest"]) => ({ ...ask("post", "/api/why", { body }), retry: false }),
  who: (body: Shapes["WhoRequest"]) => ({ ...ask("post", "/api/who", { body }), ...SETTLED }),
  bridge: (body: Shapes["BridgeRequest"]) => ({ ...ask("post", "/api/bridge", { body }), ...SETTLED }),
  reach: (body: Shapes["ReachRequest"]) => ({ ...ask("post", "/api/reach", { body }), ...SETTLED }),
  reachUnderway: () => ({ ...ask("get", "/api/reach/underway", {}), gcTime: 0, staleTime: 0 }),
  ownAccount: () => ask("get", "/api/my/account", {}),
  signInRules: () => ask("get", "/api/settings/sign-in", {}),
  tokens: () => ask("get", "/api/settings/tokens", {}),
  promises: () => ask("get", "/api/promises", {}),
  overview: () => ask("get", "/api/overview", {}),
  guard: () => ({ ...ask("get", "/api/guard", {}), staleTime: A_WHILE }),
  guardKnown: () => ask("get", "/api/guard", { params: { query: { known: true } } }),
  findings: () => ({ ...ask("get", "/api/findings", {}), staleTime: A_WHILE }),
  probe: (viewer: string | undefined) => ({
    ...ask("get", "/api/probe", { params: { query: viewer === undefined ? {} : { viewer } } }),
    staleTime: Number.POSITIVE_INFINITY,
  }),
  issuers: () => ask("get", "/api/settings/issuers", {}),
  sources: () => ask("get", "/api/sources", {}),
  reviews: () => ask("get", "/api/reviews", {}),
  review: (key: number) => ask("get", "/api/reviews/{key}", { params: { path: { key } } }),
  ownReviews: () => ask("get", "/api/my/reviews", {}),
  movers: (since: string) => ({ ...ask("get", "/api/movers", { params: { query: { since } } }), retry: false }),
  origins: () => ask("get", "/api/settings/origins", {}),
  promisesBySchedule: () => ask("get", "/api/promises/schedule", {}),
  guards: () => ask("get", "/api/guards", {}),
  schedules: (model: string) => ask("get", "/api/models/{model}/schedules", { params: { path: { model } } }),
  relations: (name: string) => ask("get", "/api/sources/in/{name}", { params: { path: { name } } }),
  relation: (name: string, relation: string[]) => ask("post", "/api/sources/in/{name}", { params: { path: { name } }, body: { relation } }),
  ownDoor: () => ask("get", "/api/my/door", {}),
  door: () => ask("get", "/api/settings/door", {}),
  duties: () => ask("get", "/api/duties", {}),
  dutiesOf: (login: string) => ask("get", "/api/duties/of/{login}", { params: { path: { login } } }),
  whoCan: (body: Shapes["WhoCanRequest"]) => ({ ...ask("post", "/api/duties/who", { body }), retry: false }),
  statement: (body: Shapes["StatementRequest"]) => ({ ...ask("post", "/api/statement", { body }), retry: false }),
  pinnedSets: () => ask("get", "/api/pinned-sets", {}),

  pages: (state: StateName) => ({ ...ask("get", "/api/pages", { params: { query: { state } } }), staleTime: A_WHILE }),
  pagesGrid: (body: Shapes["HoldersGridRequest"]) => ({ ...ask("post", "/api/grid", { body }), ...SETTLED }),
  pageLook: (page: string, body: Shapes["PageLookRequest"]) => ({
    ...ask("post", "/api/pages/{page}/look", { params: { path: { page } }, body }),
    ...SETTLED,
  }),
  pageBeneath: (page: string, body: Shapes["BeneathLook"]) => ({
    ...ask("post", "/api/pages/{page}/beneath", { params: { path: { page } }, body }),
    retry: false,
  }),
  exhibit: (body: Shapes["ExhibitTry"]) => ({ ...ask("post", "/api/exhibits", { body }), ...SETTLED }),

  pending: () => ask("get", "/api/releases/pending", {}),
  releases: () => ask("get", "/api/releases", {}),

  pendingChosen: (body: Shapes["PendingRequest"]) => ({ ...ask("post", "/api/releases/pending", { body }), retry: false }),
  releasesCompared: (before: number, after: string) => ({
    ...ask("get", "/api/releases/compared", { params: { query: { before, after } } }),
    retry: false,
  }),

  trail: (filters: TrailFilters) =>
    infiniteQueryOptions({
      queryKey: ["get", "/api/trail", filters] as const,
      initialPageParam: undefined as number | undefined,
      queryFn: ({ pageParam, signal }) => data(api.GET("/api/trail", { signal, params: { query: { before: pageParam, ...filters } } })),
      getNextPageParam: (last) => (last.more ? last.entries.at(-1)?.id : undefined),
    }),
  trailHead: () => ask("get", "/api/trail/head", {}),

  /** A change that is only tried: what it would do is worked out once, and never kept. */
  tried: <T>(what: unknown[], send: () => Promise<T>) =>
    queryOptions<T, ApiError>({ queryKey: ["try", ...what], queryFn: send, retry: false, gcTime: 0, staleTime: Number.POSITIVE_INFINITY }),

  myPages: () => ask("get", "/api/my/pages", {}),
  myPage: (page: string, body: Shapes["MyLook"]) => ({
    ...ask("post", "/api/my/pages/{page}", { params: { path: { page } }, body }),
    ...SETTLED,
  }),
  myModels: () => ask("get", "/api/my/models", {}),
  myAnswers: (ask_: Shapes["MyAskRequest"]["ask"]) => ({ ...ask("post", "/api/my/answers", { body: { ask: ask_ } }), ...SETTLED }),
  myWriting: (page: string) => ({ ...ask("get", "/api/my/making/{page}", { params: { path: { page } } }), retry: false }),
  myVersions: (page: string) => ask("get", "/api/my/making/{page}/versions", { params: { path: { page } } }),
  myExhibit: (body: Shapes["OwnExhibitTry"]) => ({ ...ask("post", "/api/my/making/exhibit", { body }), ...SETTLED }),
  myChecked: (body: Shapes["OwnCheckRequest"]) => ({ ...ask("post", "/api/my/making/check", { body }), staleTime: 60_000 }),
  myValues: (model: string, table: string, column: string, search: string) => ({
    ...ask("get", "/api/my/models/{model}/values/{table}/{column}", { params: { path: { model, table, column }, query: { search } } }),
    placeholderData: keepPreviousData,
    staleTime: 60_000,
  }),
  readersPages: () => ask("get", "/api/readers-pages", {}),
  myBeneath: (page: string, body: Shapes["BeneathRequest"]) => ({
    ...ask("post", "/api/my/pages/{page}/beneath", { params: { path: { page } }, body }),
    retry: false,
  }),
};

type Place = { model: string; table: string };
type Address = ReturnType<(typeof queries)[Exclude<keyof typeof queries, "tried">]>["queryKey"][1] & keyof paths;

/** What somebody can change. */
export type Part = "people" | "roles" | "models" | "pages" | "data" | "release";

const ANYTHING: readonly Part[] = ["people", "roles", "models", "pages", "data", "release"];
const SEEN: readonly Part[] = ["people", "roles", "models", "data", "release"];

/** What the answer of each address hangs on: whoever adds a question says here when it grows old. */
const HANGS_ON: Record<Address, readonly Part[]> = {
  "/api/session": [],
  "/api/vocabulary": [],
  "/api/state": ANYTHING,
  "/api/people": ["people", "release"],
  "/api/directory/held": ["people", "roles", "release"],
  "/api/directory/attributes": ["people"],
  "/api/people/{login}": ANYTHING,
  "/api/people/{login}/history": ["people", "roles"],
  "/api/people/{login}/copying": ["people", "roles"],
  "/api/people/{login}/owns": ANYTHING,
  "/api/groups/{name}": ["people", "roles"],
  "/api/organizations/{name}": ["people"],
  "/api/roles": ["people", "roles", "release"],
  "/api/roles/{name}/uses": ["roles", "release"],
  "/api/roles/{name}/holders": ["people", "roles"],
  "/api/similar": SEEN,
  "/api/combine": SEEN,
  "/api/entitlements/columns": SEEN,
  "/api/entitlements/lines": SEEN,
  "/api/whole-totals": SEEN,
  "/api/models/{model}": ["roles", "models", "data", "release"],
  "/api/models/{model}/refreshes": SEEN,
  "/api/models/{model}/tables/{table}": ["roles", "models", "pages", "data"],
  "/api/models/{model}/values/{table}/{column}": ["models", "data", "release"],
  "/api/models/{model}/try": ["models", "data"],
  "/api/models/{model}/tables/{table}/lines": ["people", "roles", "models", "data"],
  "/api/models/{model}/tables/{table}/lines/check": ["people", "roles", "models", "data"],
  "/api/models/{model}/tables/{table}/lines/history": ["data"],
  "/api/tasks/{key}": [],
  "/api/check": ["people", "models", "data"],
  "/api/evaluate": SEEN,
  "/api/effect": ANYTHING,
  "/api/rows": SEEN,
  "/api/why": ANYTHING,
  "/api/sql": ANYTHING,
  "/api/redundant": ANYTHING,
  "/api/who": ANYTHING,
  "/api/bridge": SEEN,
  "/api/reach": ANYTHING,
  "/api/reach/underway": [],
  "/api/statement": ANYTHING,
  "/api/my/account": ["people", "roles", "release"],
  "/api/settings/sign-in": ["people"],
  "/api/settings/tokens": ["people"],
  "/api/promises": ANYTHING,
  "/api/overview": ANYTHING,
  "/api/guard": ANYTHING,
  "/api/findings": ANYTHING,
  "/api/probe": ANYTHING,
  "/api/settings/origins": ["people"],
  "/api/reviews": ["people", "roles"],
  "/api/reviews/{key}": ["people", "roles"],
  "/api/my/reviews": ["people", "roles"],
  "/api/movers": ["people", "roles"],
  "/api/settings/issuers": ["people", "release"],
  "/api/promises/schedule": ["data"],
  "/api/guards": ["people", "roles", "models", "data", "release"],
  "/api/sources": ["models", "data", "release"],
  "/api/sources/in/{name}": [],
  "/api/models/{model}/schedules": ["models", "data"],
  "/api/my/door": ["people"],
  "/api/settings/door": ["people"],
  "/api/duties": ["people", "roles", "models", "pages"],
  "/api/duties/of/{login}": ["people"],
  "/api/duties/who": ["people"],
  "/api/pinned-sets": [],
  "/api/pages": ANYTHING,
  "/api/grid": ANYTHING,
  "/api/pages/{page}/look": ANYTHING,
  "/api/pages/{page}/beneath": ANYTHING,
  "/api/exhibits": ANYTHING,
  "/api/releases/pending": ANYTHING,
  "/api/releases": ["release"],
  "/api/releases/compared": ANYTHING,
  "/api/trail/head": ANYTHING,
  "/api/trail": ANYTHING,
  "/api/my/pages": ["release", "people", "pages"],
  "/api/my/pages/{page}": ANYTHING,
  "/api/my/pages/{page}/beneath": SEEN,
  "/api/my/models": SEEN,
  "/api/my/answers": SEEN,
  "/api/my/making/{page}": ["pages", "release"],
  "/api/my/making/{page}/versions": ["pages"],
  "/api/my/making/exhibit": SEEN,
  "/api/my/making/check": SEEN,
  "/api/my/models/{model}/values/{table}/{column}": SEEN,
  "/api/readers-pages": ["pages", "people"],
};

/** Tells that parts changed: what hangs on them is asked again, and the rest stays. Without parts, everything is. */
export function useChanged(): (...parts: Part[]) => Promise<void> {
  const client = useQueryClient();
  return useCallback(
    (...parts: Part[]) =>
      client.invalidateQueries({
        predicate: (query) => {
          const hangs = HANGS_ON[query.queryKey[1] as Address] as readonly Part[] | undefined;
          return parts.length === 0 || (hangs?.some((part) => parts.includes(part)) ?? false);
        },
      }),
    [client],
  );
}
