import { ApiError, csrfToken } from "./client";

/** Asks for a file and gives it to the person, or says why there is none. */
export async function saveFile(address: string, body: unknown, name: string): Promise<void> {
  const response = await fetch(address, {
    method: "POST",
    headers: { "Content-Type": "application/json", "X-CSRF-Token": csrfToken() },
    body: JSON.stringify(body),
  });
  if (!response.ok) {
    const told = (await response.json().catch(() => null)) as { error?: { code: string; message: string } } | null;
    throw new ApiError(response.status, told?.error?.code ?? "server", told?.error?.message ?? "The file could not be made.");
  }
  given(await response.blob(), name);
}

/** Gives a file to the person. */
export function given(file: Blob, name: string): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(file);
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}
