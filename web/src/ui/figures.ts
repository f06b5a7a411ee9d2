// Made once: a format made anew for every figure takes most of the time of a long table.
const percent = new Intl.NumberFormat("en-GB", { maximumFractionDigits: 1 });
const small = new Intl.NumberFormat("en-GB", { maximumSignificantDigits: 3 });
const whole = new Intl.NumberFormat("en-GB", { maximumFractionDigits: 0 });
const decimals = new Intl.NumberFormat("en-GB", { maximumFractionDigits: 2 });

/** Values as people read them: figures grouped, shares in per cent, nothing for what is not there. */
export function shownValue(value: unknown, format?: string | null): string {
  if (value === null || value === undefined) return "";
  if (typeof value === "number") {
    if (format === "%") return `${percent.format(100 * value)} %`;
    if (value !== 0 && Math.abs(value) < 1) return small.format(value);
    return (Number.isInteger(value) || Math.abs(value) >= 1000 ? whole : decimals).format(value);
  }
  if (typeof value === "boolean") return value ? "yes" : "no";
  return String(value);
}

/** The same, with the unit behind it. */
export function withUnit(value: unknown, format?: string | null): string {
  const text = shownValue(value, format);
  return text && format && format !== "%" ? `${text} ${format}` : text;
}

export function plural(number: number, one: string, many = `${one}s`): string {
  return `${whole.format(number)} ${number === 1 ? one : many}`;
}
