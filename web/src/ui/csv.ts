/** Saves a table as CSV. A text that a spreadsheet would take for a formula is marked as a text. */
export function savedAs(name: string, head: string[], lines: (string | number | null)[][]): void {
  const text = [head, ...lines].map((line) => line.map(cell).join(",")).join("\r\n");
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob(["\ufeff", text, "\r\n"], { type: "text/csv" }));
  link.download = `${name.replace(/[^\p{L}\p{N} _.-]/gu, " ").slice(0, 80)}.csv`;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}

function cell(value: string | number | null): string {
  if (value === null || typeof value === "number") return String(value ?? "");
  const safe = /^[=+\-@\t\r]/.test(value) ? `'${value}` : value;
  return /[",\r\n]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe;
}
