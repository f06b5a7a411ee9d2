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
    // A proxy answers in the place of a server it does not reach, in words of its own.
    if (!body && response.status >= 502 && response.status <= 504) throw notReached();
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
    return notReached();
  },
};

function notReached(): ApiError {
  return new ApiError(0, "offline", "The server does not answer. Once it does, look whether this was saved before you try again.");
}

/** Asked again, a few times, where the server is answering too much for this account already. */
async function patiently(request: Request): Promise<Response> {
  for (let tries = 0; ; tries++) {
    const response = await globalThis.fetch(tries < 4 ? request.clone() : request);
    if (response.status !== 429 || !response.headers.has("Retry-After") || tries === 4) return response;
    await new Promise((resolve) => setTimeout(resolve, 1000 * Number(response.headers.get("Retry-After"))));
  }
}

/** Names stand in addresses encoded once more than the rest, so that one with a slash, or of points only, stays one name. */
export function nameInAddress(name: string): string {
  const once = encodeURIComponent(name);
  return encodeURIComponent(/^\.+$/.test(name) ? once.replaceAll(".", "%2E") : once);
}

export const api = createClient<paths>({
  pathSerializer: (pathname, parameters) =>
    Object.entries(parameters).reduce((path, [name, value]) => path.replace(`{${name}}`, nameInAddress(String(value))), pathname),
  baseUrl: globalThis.location?.origin ?? "",
  fetch: patiently,
});
api.use(errorsAreThrown, sessionProtection);

/** The data of an answer; an ApiError is thrown for everything else. */
export async function data<T>(answer: Promise<{ data?: T }>): Promise<T> {
  try {
    return (await answer).data as T;
  } catch (error) {
    if (error instanceof ApiError || (error instanceof DOMException && error.name === "AbortError")) throw error;
    // An answer that was cut off on its way.
    throw notReached();
  }
}
