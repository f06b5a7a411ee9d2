import { ApiError, nameInAddress, type Schemas } from "./client";

/** What the server wrote into the frame: a ticket, or why there is none. */
export function said(name: "ticket" | "refused" | "until"): string | null {
  return document.querySelector(`meta[name="moorland-${name}"]`)?.getAttribute("content") ?? null;
}

async function asked(page: string, what: "" | "/beneath" | "/export", body: unknown): Promise<Response> {
  const response = await fetch(`/api/outside/pages/${nameInAddress(page)}${what}`, {
    method: "POST",
    // Nothing of a session is ever sent from a frame.
    credentials: "omit",
    headers: { "Content-Type": "application/json", "Moorland-Ticket": said("ticket") ?? "" },
    body: JSON.stringify(body),
  }).catch(() => {
    throw new ApiError(0, "offline", "The server does not answer. Try again in a moment.");
  });
  if (response.ok) return response;
  const told = (await response.json().catch(() => null)) as { error?: { code: string; message: string } } | null;
  throw new ApiError(response.status, told?.error?.code ?? "server", told?.error?.message ?? "This could not be shown.");
}

export const framedPage = async (page: string, body: Schemas["MyLook"]) =>
  (await (await asked(page, "", body)).json()) as Schemas["PageAnswer"];

export const framedBeneath = async (page: string, body: Schemas["BeneathRequest"]) =>
  (await (await asked(page, "/beneath", body)).json()) as Schemas["RowsAnswer"];

export const framedFile = async (page: string, body: Schemas["ExportRequest"]) => (await asked(page, "/export", body)).blob();
