/** The day of a moment, short. */
export function dayOf(at: string): string {
  return new Date(at).toLocaleDateString("en-GB", { dateStyle: "medium" });
}

/** A moment, short. */
export function when(at: string): string {
  return new Date(at).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" });
}
