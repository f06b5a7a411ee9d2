import { parse } from "papaparse";
import type { Schemas } from "../../api/client";

export type Values = Record<string, string | number | boolean | null>;
export type Line = Schemas["LineEntry"];

/** What has been typed and not yet done: other values for lines, new lines, ended ones. */
export type LineEdits = { changed: Record<number, Values>; added: { key: number; values: Values }[]; ended: number[] };

export const NO_EDITS: LineEdits = { changed: {}, added: [], ended: [] };

/** A typed text as a value of the column's type; what does not fit stays text, so that its fault can be shown. */
export function typedValue(text: string, type: string): string | number | boolean | null {
  const trimmed = text.trim();
  if (trimmed === "") return null;
  // A whole number too long to be exact here stays text: the server says that it does not fit, rather than keep another one.
  if (type === "integer" && /^[-+]?\d+$/.test(trimmed) && Number.isSafeInteger(Number(trimmed))) return Number(trimmed);
  if (type === "number" && /^[-+]?(\d+\.?\d*|\.\d+)(e[-+]?\d+)?$/i.test(trimmed)) return Number(trimmed);
  if (type === "boolean" && /^(true|false|yes|no)$/i.test(trimmed)) return /^(true|yes)$/i.test(trimmed);
  if (type === "date") {
    const written = trimmed.match(/^(\d{1,2})\.(\d{1,2})\.(\d{4})$/);
    if (written) return `${written[3]}-${written[2]?.padStart(2, "0")}-${written[1]?.padStart(2, "0")}`;
  }
  return type === "text" ? text : trimmed;
}

/** Lines pasted from a spreadsheet: cells parted by tabulators, or else by commas or semicolons; a header is recognised by its names. */
export function pastedLines(
  text: string,
  columns: { name: string; type: string }[],
): { lines: Values[]; header: boolean; surplus: number } {
  const first = text.trimStart().split(/[\r\n]/, 1)[0] ?? "";
  const delimiter = first.includes("\t") ? "\t" : first.includes(";") ? ";" : ",";
  const cells = parse<string[]>(text, { delimiter, skipEmptyLines: "greedy", transform: (cell) => cell.trim() }).data;
  const names = (cells[0] ?? []).map((cell) => cell.toLowerCase());
  const header =
    names.length > 0 &&
    names.some((name) => columns.some((column) => column.name.toLowerCase() === name)) &&
    names.every((name) => columns.some((column) => column.name.toLowerCase() === name) || name === "");
  const order = header ? names.map((name) => columns.find((column) => column.name.toLowerCase() === name)) : columns;
  const body = header ? cells.slice(1) : cells;
  return {
    header,
    surplus: Math.max(0, ...body.map((row) => row.length - order.length)),
    lines: body.map((row) =>
      Object.fromEntries(order.flatMap((column, index) => (column ? [[column.name, typedValue(row[index] ?? "", column.type)]] : []))),
    ),
  };
}

/** The text with the nearest known value in the place of the item that is wrong. */
export function replaced(text: string, wrong: string | null | undefined, nearest: string, separator: string | null): string {
  if (!separator || !wrong) return nearest;
  const parts = text.split(separator).map((part) => part.trim());
  return parts.map((part) => (part === wrong ? nearest : part)).join(`${separator} `);
}
