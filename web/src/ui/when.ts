/** A moment, short. */
export function when(at: string): string {
  return new Date(at).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" });
}
