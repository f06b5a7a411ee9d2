import createClient, { type Middleware } from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type Role = Schemas["Role"];
export type Sentence = Schemas["Sentence"];
export type Assignment = Schemas["Assignment"];
export type RoleEntry = Schemas["RoleEntry"];
export type Model = Schemas["Model"];
export type ModelAnswer = Schemas["ModelAnswer"];
export type PinnedViewer = Schemas["EffectRequest"]["viewers"][number];
export type ModelShare = Schemas["ModelShare"];
export type AlignedRows = Schemas["AlignedRows"];
export type Problem = Schemas["ProblemShape"];
export type Clause = Schemas["Clause"];
export type Group = Schemas["Group"];
export type StateName = "draft" | "live";

/** An error of the server: a sentence, a code, and where in what was sent it lies. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    readonly problems: Problem[] = [],
    readonly current: unknown = null,
  ) {
    super(message);
  }
}

export function csrfToken(): string {
  return document.cookie.match(/(?:^|; )moorland_csrf=([^;]+)/)?.[1] ?? "";
}

let signedOut: () => void = () => undefined;

/** Called when the server says that the session has ended. */
export function onSignedOut(listener: () => void): void {
  signedOut = listener;
}

const sessionProtection: Middleware = {
  onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-CSRF-Token", csrfToken());
    return request;
  },
};

type ErrorBody = { error?: { code: string; message: string; problems: Problem[]; current: unknown } };

/** Whatever is not an answer is thrown as an ApiError. */
const errorsAreThrown: Middleware = {
  async onResponse({ response }) {
    if (response.ok) return;
    const body = ((await response.json().catch(() => null)) as ErrorBody | null)?.error;
    if (response.status === 401 && body?.code === "signed_out" && !response.url.endsWith("/api/session")) signedOut();
    throw new ApiError(
      response.status,
      body?.code ?? "server",
      body?.message ?? "The server met an error. Nothing was changed.",
      body?.problems ?? [],
      body?.current,
    );
  },
  onError({ error }) {
    if (error instanceof ApiError || (error instanceof DOMException && error.name === "AbortError")) return;
    return new ApiError(0, "offline", "The server does not answer. Nothing was saved; try again in a moment.");
  },
};

export const api = createClient<paths>({
  baseUrl: globalThis.location?.origin ?? "",
  fetch: (request) => globalThis.fetch(request),
});
api.use(errorsAreThrown, sessionProtection);

/** The data of an answer; an ApiError is thrown for everything else. */
export async function data<T>(answer: Promise<{ data?: T }>): Promise<T> {
  return (await answer).data as T;
}
