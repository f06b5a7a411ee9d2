import { useEffect, useMemo, useState } from "react";
import type { Role } from "../../api/client";

/** An unsaved edit: the role as it now reads, the version it began from, and what can be undone and redone. */
export type RoleEdit = { role: Role; version: number; past: Role[]; future: Role[] };

export type RoleEdits = {
  get: (name: string) => RoleEdit | undefined;
  has: (name: string) => boolean;
  /** The names of all roles with an unsaved edit. */
  names: () => string[];
  change: (name: string, version: number, from: Role, to: Role) => void;
  undo: (name: string) => void;
  redo: (name: string) => void;
  discard: (name: string) => void;
  rebase: (name: string, version: number) => void;
};

/** Edits outlive the screen they were made on, so that going to look at something else loses nothing. */
const kept = new Map<string, RoleEdit>();

const same = (one: Role, other: Role) => JSON.stringify(one) === JSON.stringify(other);

/** Unsaved edits of roles, with undo and redo. */
export function useRoleEdits(): RoleEdits {
  const [turn, setTurn] = useState(0);
  useEffect(() => {
    const leave = (event: BeforeUnloadEvent) => {
      if (kept.size > 0) event.preventDefault();
    };
    window.addEventListener("beforeunload", leave);
    return () => window.removeEventListener("beforeunload", leave);
  }, []);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new object for every turn, so that what reads it is drawn again
  return useMemo(() => {
    const put = (name: string, edit: RoleEdit | undefined) => {
      if (edit) kept.set(name, edit);
      else kept.delete(name);
      setTurn((value) => value + 1);
    };
    return {
      get: (name) => kept.get(name),
      has: (name) => kept.has(name),
      names: () => [...kept.keys()],
      change: (name, version, from, to) => {
        const edit = kept.get(name) ?? { role: from, version, past: [], future: [] };
        if (same(edit.role, to)) return;
        const past = [...edit.past, edit.role].slice(-200);
        put(name, same(to, past[0] ?? from) && !kept.has(name) ? undefined : { ...edit, role: to, past, future: [] });
      },
      undo: (name) => {
        const edit = kept.get(name);
        const back = edit?.past.at(-1);
        if (!edit || !back) return;
        put(name, { ...edit, role: back, past: edit.past.slice(0, -1), future: [edit.role, ...edit.future] });
      },
      redo: (name) => {
        const edit = kept.get(name);
        const forth = edit?.future[0];
        if (!edit || !forth) return;
        put(name, { ...edit, role: forth, past: [...edit.past, edit.role], future: edit.future.slice(1) });
      },
      discard: (name) => put(name, undefined),
      rebase: (name, version) => {
        const edit = kept.get(name);
        if (edit) put(name, { ...edit, version });
      },
    };
  }, [turn]);
}
