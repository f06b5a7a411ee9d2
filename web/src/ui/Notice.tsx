import type { ReactNode } from "react";

/** Something that is wrong, careful or good to know, in place, in one sentence with the remedy. */
export function Notice({ kind = "good", children }: { kind?: "good" | "careful" | "bad"; children: ReactNode }) {
  return (
    <div className={`notice ${kind}`} role={kind === "bad" ? "alert" : "status"}>
      {children}
    </div>
  );
}

/** What to do first where there is nothing yet. */
export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="empty">
      <b>{title}</b>
      {children}
    </div>
  );
}
