import type { QueryClient } from "@tanstack/react-query";
import { useSyncExternalStore } from "react";

const AGAIN_MS = 3000;
/** Nearly empty, and answered to everybody: enough to know that the server is there. */
const ADDRESS = "/api/session";

let lost = false;
let client: QueryClient | undefined;
const listeners = new Set<() => void>();

function told(now: boolean): void {
  lost = now;
  for (const listener of listeners) listener();
}

async function answers(): Promise<boolean> {
  try {
    const response = await fetch(ADDRESS);
    await response.json();
    return response.ok;
  } catch {
    return false;
  }
}

async function again(): Promise<void> {
  if (!(await answers())) return void window.setTimeout(again, AGAIN_MS);
  told(false);
  await client?.invalidateQueries();
}

/** Called where the server could not be reached: it is asked until it answers, and then all that is shown is asked anew. */
export function unreached(asked: QueryClient): void {
  client = asked;
  if (lost) return;
  told(true);
  window.setTimeout(again, AGAIN_MS);
}

function listening(listener: () => void): () => void {
  listeners.add(listener);
  return () => void listeners.delete(listener);
}

/** Whether the server cannot be reached just now. */
export function useUnreached(): boolean {
  return useSyncExternalStore(listening, () => lost);
}
