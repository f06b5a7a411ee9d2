import { createContext, type ReactNode, useCallback, useContext, useEffect, useMemo, useRef, useState } from "react";
import { useLocation, useSearchParams } from "react-router-dom";
import { api, data, type Role, type Schemas } from "../api/client";

/** What can be asked about: whichever questions it has an answer to. */
export type Subject = {
  title: string;
  why?: Schemas["Traced"];
  who?: Schemas["WhoQuestion"];
  bridge?: Schemas["BridgeQuestion"];
};
export const TURNS = ["why", "who", "bridge"] as const;
export type Turn = (typeof TURNS)[number];
type Asked = { subject: Subject; turn: Turn };

type Asking = {
  asked: Asked | null;
  ask: (subject: Subject, turn?: Turn) => void;
  setTurn: (turn: Turn) => void;
  /** Earlier and later subjects; null where there are none. */
  back: (() => void) | null;
  forward: (() => void) | null;
  close: () => void;
};

const AskingContext = createContext<Asking | null>(null);
// Apart from what is asked: they change with every letter, and whoever tells them need not be drawn anew for it.
const EditedContext = createContext<Role[]>([]);
const TellEditedContext = createContext<(roles: Role[]) => void>(() => undefined);
const MOST = 50;

export function turnsOf(subject: Subject): Turn[] {
  return TURNS.filter((turn) => subject[turn] !== undefined);
}

/** The panel that is asked from anywhere: what it is about, what was asked before, and its address. */
export function AskingProvider({ children }: { children: ReactNode }) {
  const [history, setHistory] = useState<Asked[]>([]);
  const [place, setPlace] = useState(-1);
  const [edited, setEditedNow] = useState<Role[]>([]);
  const asked = history[place] ?? null;
  useAddress(asked, (kept) => {
    setHistory([kept]);
    setPlace(0);
  });
  const setEdited = useCallback((roles: Role[]) => {
    setEditedNow((before) => (JSON.stringify(before) === JSON.stringify(roles) ? before : roles));
  }, []);
  const value = useMemo<Asking>(
    () => ({
      asked,
      ask: (subject, turn) => {
        const turns = turnsOf(subject);
        const chosen = turn && turns.includes(turn) ? turn : turns[0];
        if (!chosen) return;
        const next = { subject, turn: chosen };
        if (JSON.stringify(next) === JSON.stringify(asked)) return;
        const kept = [...history.slice(0, place + 1), next].slice(-MOST);
        setHistory(kept);
        setPlace(kept.length - 1);
      },
      setTurn: (turn) => setHistory(history.map((item, index) => (index === place ? { ...item, turn } : item))),
      back: place > 0 ? () => setPlace(place - 1) : null,
      forward: place < history.length - 1 ? () => setPlace(place + 1) : null,
      close: () => {
        setHistory(history.slice(0, place + 1));
        setPlace(-1);
      },
    }),
    [asked, history, place],
  );
  return (
    <TellEditedContext value={setEdited}>
      <EditedContext value={edited}>
        <AskingContext value={value}>{children}</AskingContext>
      </EditedContext>
    </TellEditedContext>
  );
}

/** Roles with edits that are not saved; what is asked takes them into account. */
export const useEdited = (): Role[] => useContext(EditedContext);

/** Tells which roles have edits that are not saved. */
export const useTellEdited = (): ((roles: Role[]) => void) => useContext(TellEditedContext);

/** Keeps what is asked under a key that tells nothing, in the address; an address with a key opens it again. */
function useAddress(asked: Asked | null, open: (asked: Asked) => void): void {
  const [search, setSearch] = useSearchParams();
  const { pathname } = useLocation();
  const opened = useRef(false);
  const key = search.get("ask");
  useEffect(() => {
    if (opened.current) return;
    opened.current = true;
    if (!key) return;
    data(api.GET("/api/looks/{key}", { params: { path: { key } } }))
      .then((look) => look.screen === "ask" && open(look.shown as unknown as Asked))
      .catch(() => setSearch((now) => without(now), { replace: true }));
  });
  const written = asked ? JSON.stringify(asked) : null;
  const was = useRef<string | null>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another screen has an address of its own, to which the key is added
  useEffect(() => {
    if (written === null) {
      if (was.current !== null) setSearch((now) => without(now), { replace: true });
      was.current = null;
      return;
    }
    was.current = written;
    let current = true;
    data(api.POST("/api/looks", { body: { screen: "ask", shown: JSON.parse(written) } }))
      .then((kept) => current && setSearch((now) => withKey(now, kept.key), { replace: true }))
      .catch(() => undefined);
    return () => {
      current = false;
    };
  }, [written, pathname]);
}

function without(search: URLSearchParams): URLSearchParams {
  const next = new URLSearchParams(search);
  next.delete("ask");
  return next;
}

function withKey(search: URLSearchParams, key: string): URLSearchParams {
  const next = without(search);
  next.set("ask", key);
  return next;
}

export function useAsking(): Asking {
  const found = useContext(AskingContext);
  if (!found) throw new Error("there is nothing to ask");
  return found;
}

/** Makes something askable: by its mark on pointing and focus, and by the key y. Null makes it not. `as` is the pinned viewer whose it is, from 1. */
export function asks(subject: Subject | null, turn?: Turn, inOrder = false, as?: number): Record<string, unknown> {
  if (!subject) return {};
  return { "data-ask": JSON.stringify({ subject, turn, as }), tabIndex: inOrder ? 0 : -1 };
}

/** The same for what the keyboard reaches already. `person` is who it is asked for, who is pinned then. */
export function marked(
  subject: Subject | null,
  turn?: Turn,
  as?: number,
  person?: { login: string; name: string },
): Record<string, unknown> {
  return subject ? { "data-ask": JSON.stringify({ subject, turn, as, person }) } : {};
}

/** A page. */
export function pageSubject(page: string, title: string): Subject {
  return { title, why: { page }, who: { page } };
}

/** A table as a whole. */
export function tableSubject(model: string, table: string): Subject {
  return { title: table.replaceAll("_", " "), why: { model, object: `table:${table}` }, who: { model, table } };
}

/** A measure or a column, `table.column`, as something to ask about. */
export function objectSubject(model: string, kind: "measure" | "column", name: string, title: string): Subject {
  const point = name.indexOf(".");
  const who = kind === "measure" ? { model, measure: name } : { model, table: name.slice(0, point), column: name.slice(point + 1) };
  return { title, why: { model, object: `${kind}:${name}` }, who, ...(kind === "measure" ? { bridge: { model, measure: name } } : {}) };
}

/** A figure: a measure in a line of totals, or over everything. */
export function figureSubject(bridge: Schemas["BridgeQuestion"], title: string): Subject {
  const { model, measure, by = [], key = [], where = null } = bridge;
  return {
    title,
    why: { model, object: `measure:${measure}`, figure: true, by, key, where },
    who: { model, measure, by, key, where },
    bridge,
  };
}

/** A row, or a cell of it. */
export function rowSubject(model: string, table: string, row: string | number | boolean, column?: string): Subject {
  const about = { model, table, row, ...(column ? { column } : {}) };
  return { title: `${table} ${String(row)}${column ? ` · ${column.replaceAll("_", " ")}` : ""}`, why: about, who: about };
}
