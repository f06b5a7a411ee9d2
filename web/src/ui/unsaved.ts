import { useSyncExternalStore } from "react";

/** An unsaved edit: what is edited as it now reads, the version it began from (0: new), what can be undone and redone. */
export type Unsaved<T> = { now: T; version: number; past: T[]; future: T[] };

const MOST_STEPS = 200;

const same = (one: unknown, other: unknown) => JSON.stringify(one) === JSON.stringify(other);

/** The unsaved edits of one kind of thing, by name. They outlive the screen they were made on: looking at something else loses nothing. */
export class UnsavedEdits<T> {
  private readonly kept = new Map<string, Unsaved<T>>();
  private readonly listeners = new Set<() => void>();
  private turn = 0;

  get = (name: string): Unsaved<T> | undefined => this.kept.get(name);
  has = (name: string): boolean => this.kept.has(name);
  names = (): string[] => [...this.kept.keys()];

  /** What is edited now reads `to`; the first edit begins `from` what was saved as `version`. A change of nothing is none. */
  change = (name: string, version: number, from: T, to: T): void => {
    const edit = this.kept.get(name) ?? { now: from, version, past: [], future: [] };
    if (!same(edit.now, to)) this.put(name, { ...edit, now: to, past: [...edit.past, edit.now].slice(-MOST_STEPS), future: [] });
  };

  undo = (name: string): void => {
    const edit = this.kept.get(name);
    const back = edit?.past.at(-1);
    if (edit && back) this.put(name, { ...edit, now: back, past: edit.past.slice(0, -1), future: [edit.now, ...edit.future] });
  };

  redo = (name: string): void => {
    const edit = this.kept.get(name);
    const forth = edit?.future[0];
    if (edit && forth) this.put(name, { ...edit, now: forth, past: [...edit.past, edit.now], future: edit.future.slice(1) });
  };

  discard = (name: string): void => this.put(name, undefined);

  forget = (): void => {
    for (const name of this.names()) this.put(name, undefined);
  };

  /** The edit goes on, as one of a later version. */
  rebase = (name: string, version: number): void => {
    const edit = this.kept.get(name);
    if (edit) this.put(name, { ...edit, version });
  };

  subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  turns = (): number => this.turn;

  private put(name: string, edit: Unsaved<T> | undefined): void {
    if (edit) this.kept.set(name, edit);
    else this.kept.delete(name);
    this.turn += 1;
    for (const listener of this.listeners) listener();
  }
}

/** The edits, drawn anew at every change of any of them. */
export function useUnsaved<T>(edits: UnsavedEdits<T>): UnsavedEdits<T> {
  useSyncExternalStore(edits.subscribe, edits.turns);
  return edits;
}
