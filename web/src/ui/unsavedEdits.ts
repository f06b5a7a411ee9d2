import { useEffect } from "react";
import type { Role, Schemas } from "../api/client";
import { UnsavedEdits } from "./unsaved";

export type RoleEdits = UnsavedEdits<Role>;

export const roleEdits: RoleEdits = new UnsavedEdits();
export const pageEdits = new UnsavedEdits<Schemas["Page"]>();
export const ownPageEdits = new UnsavedEdits<Schemas["ReaderPageText"]>();

/** What would be lost by leaving, in words; null where nothing is unsaved. */
export function unsavedInWords(): string | null {
  const words = [
    roleEdits.names().length > 0 ? `roles ${roleEdits.names().join(", ")}` : null,
    ownPageEdits.names().length > 0
      ? `your pages ${ownPageEdits
          .names()
          .map((name) => ownPageEdits.get(name)?.now.label ?? name)
          .join(", ")}`
      : null,
    pageEdits.names().length > 0 ? `pages ${pageEdits.names().join(", ")}` : null,
  ].filter((part) => part !== null);
  return words.length > 0 ? words.join(" and ") : null;
}

/** Asks before the browser's window is left with unsaved edits. */
export function useLeavingAsks(): void {
  useEffect(() => {
    const leave = (event: BeforeUnloadEvent) => {
      if (unsavedInWords() !== null) event.preventDefault();
    };
    window.addEventListener("beforeunload", leave);
    return () => window.removeEventListener("beforeunload", leave);
  }, []);
}
