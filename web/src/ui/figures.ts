/** Values as people read them: figures grouped, shares in per cent, nothing for what is not there. */
export function shownValue(value: unknown, format?: string | null): string {
  if (value === null || value === undefined) return "";
  if (typeof value === "number") {
    if (format === "%") return `${(100 * value).toLocaleString("en-GB", { maximumFractionDigits: 1 })} %`;
    if (value !== 0 && Math.abs(value) < 1) return value.toLocaleString("en-GB", { maximumSignificantDigits: 3 });
    const digits = Number.isInteger(value) ? 0 : Math.abs(value) >= 1000 ? 0 : 2;
    return value.toLocaleString("en-GB", { maximumFractionDigits: digits });
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
  return `${number.toLocaleString("en-GB")} ${number === 1 ? one : many}`;
}
