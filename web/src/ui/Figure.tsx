import { exactValue, shownValue } from "./figures";

/** A figure; one that is shortened tells the exact one on focus and pointing, and copies exactly. */
export function Figure({ value, format, inside = false }: { value: unknown; format?: string | null; inside?: boolean }) {
  const exact = exactValue(value, format);
  if (exact === null) return shownValue(value, format);
  // Inside a button the button is what is focused.
  if (inside) return <span title={exact}>{shownValue(value, format)}</span>;
  return (
    <span tabIndex={0} className="shortened" title={exact} onCopy={(event) => copyExactly(event, value)}>
      {shownValue(value, format)}
    </span>
  );
}

function copyExactly(event: React.ClipboardEvent, value: unknown): void {
  event.clipboardData.setData("text/plain", String(value));
  event.preventDefault();
}
