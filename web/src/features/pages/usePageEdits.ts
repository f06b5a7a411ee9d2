import { useEffect, useMemo, useState } from "react";
import type { Schemas } from "../../api/client";

type Page = Schemas["Page"];

/** An unsaved page: as it now reads, the version it began from (none: new), and what can be undone and redone. */
export type PageEdit = { page: Page; version: number | null; past: Page[]; future: Page[] };

/** Edits outlive the screen they were made on. */
const kept = new Map<string, PageEdit>();

/** The unsaved edit of one page, with undo and redo. */
export function usePageEdit(name: string, from: Page | undefined, version: number | null) {
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
    const put = (edit: PageEdit | undefined) => {
      if (edit) kept.set(name, edit);
      else kept.delete(name);
      setTurn((value) => value + 1);
    };
    const edit = kept.get(name);
    return {
      edit,
      page: edit?.page ?? from,
      change: (page: Page) => {
        if (!from) return;
        const now = edit ?? { page: from, version, past: [], future: [] };
        if (JSON.stringify(now.page) === JSON.stringify(page)) return;
        put({ ...now, page, past: [...now.past, now.page].slice(-200), future: [] });
      },
      undo: () => {
        const back = edit?.past.at(-1);
        if (edit && back) put({ ...edit, page: back, past: edit.past.slice(0, -1), future: [edit.page, ...edit.future] });
      },
      redo: () => {
        const forth = edit?.future[0];
        if (edit && forth) put({ ...edit, page: forth, past: [...edit.past, edit.page], future: edit.future.slice(1) });
      },
      discard: () => put(undefined),
      rebase: (to: number) => edit && put({ ...edit, version: to }),
    };
  }, [turn, name, from, version]);
}
