/** A name made of a label: lower case, words joined by hyphens. */
export function suggestedName(label: string): string {
  return label
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "");
}
