import type { CSSProperties, ReactNode } from "react";

/** A part of the screen that scrolls by itself; the keyboard reaches it. */
export function Scroll({
  label,
  children,
  className = "scroll",
  style,
  busy,
}: {
  label: string;
  children: ReactNode;
  className?: string;
  style?: CSSProperties;
  busy?: boolean;
}) {
  return (
    <section className={className} tabIndex={0} aria-label={label} style={style} aria-busy={busy}>
      {children}
    </section>
  );
}
