import type { Schemas } from "../api/client";

/** A way of writing figures, made when it is first needed and once: a format made anew for every figure takes most of the time of a long table. */
function format(options: Intl.NumberFormatOptions): (value: number) => string {
  let made: Intl.NumberFormat | undefined;
  return (value) => {
    made ??= new Intl.NumberFormat("en-GB", options);
    return made.format(value);
  };
}

const percent = format({ maximumFractionDigits: 1 });
const small = format({ maximumSignificantDigits: 3 });
/** A number of things, grouped. */
export const count = format({ maximumFractionDigits: 0 });
const decimals = format({ maximumFractionDigits: 2 });

export type Display = Schemas["Display"];

/** Figures as people read them: grouped, shares in per cent, at most two decimals; nothing for what is not there. */
export function shownValue(value: unknown, format?: string | null): string {
  if (value === null || value === undefined) return "";
  if (typeof value === "number") {
    if (format === "%") return `${percent(100 * value)} %`;
    return (value !== 0 && Math.abs(value) < 1 ? small : decimals)(value);
  }
  if (typeof value === "boolean") return value ? "yes" : "no";
  return String(value);
}

/** The exact figure behind one that is shortened; null where nothing is left away. */
export function exactValue(value: unknown, format?: string | null): string | null {
  if (typeof value !== "number") return null;
  const exact = exactly(value, true);
  return format === "%" || exact !== shownValue(value, format) ? exact : null;
}

function exactly(value: number, grouped: boolean): string {
  const written = String(value);
  if (!grouped || written.includes("e")) return written;
  const [before = "", after] = written.split(".");
  const parted = before.replace(/\B(?=(\d{3})+$)/g, ",");
  return after === undefined ? parted : `${parted}.${after}`;
}

/** A value of a row: exactly as it is, unless the column says how it is shown. */
export function rowValue(value: unknown, display?: Display | null): string {
  if (typeof value === "number") {
    const placed = typeof display?.decimals === "number" ? value.toFixed(display.decimals) : null;
    const text = placed === null ? exactly(value, display?.grouped ?? false) : display?.grouped ? exactlyPlaced(placed) : placed;
    return display?.unit ? `${text} ${display.unit}` : text;
  }
  if (display?.day && typeof value === "string") return value.slice(0, 10);
  return shownValue(value);
}

function exactlyPlaced(written: string): string {
  const [before = "", after] = written.split(".");
  const parted = before.replace(/\B(?=(\d{3})+$)/g, ",");
  return after === undefined ? parted : `${parted}.${after}`;
}

/** How the columns of some tables are shown, by `table.column`, and those of one by their own names. */
export function displaysOf(tables: Schemas["Table"][], own?: string | null): Record<string, Display | null | undefined> {
  return Object.fromEntries(
    tables.flatMap((table) =>
      (table.columns ?? []).flatMap((column) => [
        [`${table.name}.${column.name}`, column.display] as const,
        ...(table.name === own ? [[column.name, column.display] as const] : []),
      ]),
    ),
  );
}

/** The same, with the unit behind it. */
export function withUnit(value: unknown, format?: string | null): string {
  const text = shownValue(value, format);
  return text && format && format !== "%" ? `${text} ${format}` : text;
}

export function plural(number: number, one: string, many = `${one}s`): string {
  return `${count(number)} ${number === 1 ? one : many}`;
}
