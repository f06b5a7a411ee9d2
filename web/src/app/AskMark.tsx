import { useCallback, useEffect, useRef, useState } from "react";
import { type Subject, type Turn, useAsking } from "../state/asking";
import { isTyping } from "../state/keys";
import { MOST_PINS, type Pin, useWorkbench } from "../state/workbench";

const MOVES: Record<string, [number, number]> = { ArrowLeft: [0, -1], ArrowRight: [0, 1], ArrowUp: [-1, 0], ArrowDown: [1, 0] };

type Marked = { subject: Subject; turn?: Turn; as?: number; person?: { login: string; name: string } };

function askable(from: EventTarget | Element | null): HTMLElement | null {
  return from instanceof Element ? from.closest<HTMLElement>("[data-ask]") : null;
}

/** A quiet mark at whatever can be asked about, while it is pointed at or focused; y asks, arrows go from cell to cell. */
export function AskMark() {
  const asking = useAsking();
  const bench = useWorkbench();
  const latest = useRef({ asking, bench });
  latest.current = { asking, bench };
  const open = useCallback((element: HTMLElement) => {
    const { subject, turn, as, person } = JSON.parse(element.dataset.ask ?? "{}") as Marked;
    const { bench } = latest.current;
    if (as !== undefined) bench.setFocus(as);
    if (person) {
      const pin: Pin = { key: `user:${person.login}`, title: person.name, detail: person.login, viewer: person.login };
      const known = bench.pins.some((item) => item.key === pin.key);
      // In a full tray whoever came last makes room.
      if (!known && bench.pins.length >= MOST_PINS) bench.pinAll([...bench.pins.slice(0, MOST_PINS - 1), pin], MOST_PINS);
      else bench.pin(pin);
    }
    latest.current.asking.ask(subject, turn);
  }, []);
  const [place, setPlace] = useState<{ at: HTMLElement; left: number; top: number } | null>(null);
  useEffect(() => {
    const mark = (element: HTMLElement | null) => {
      if (!element) return setPlace(null);
      const box = element.getBoundingClientRect();
      // On the edge at the left: figures end at the right, and what can be pressed stands there.
      setPlace({ at: element, left: Math.max(2, box.left - 9), top: box.top + Math.max(0, Math.min(box.height / 2 - 9, 3)) });
    };
    const over = (event: Event) => {
      if (event.target instanceof Element && event.target.closest(".ask-mark")) return;
      mark(askable(event.target) ?? askable(document.activeElement));
    };
    const away = () => setPlace(null);
    const press = (event: KeyboardEvent) => {
      if (isTyping(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
      const pointed = [...document.querySelectorAll(":hover")].at(-1) ?? null;
      if (event.key === "y") {
        const found = askable(document.activeElement) ?? askable(pointed);
        if (found) {
          event.preventDefault();
          open(found);
        }
      } else if (event.key in MOVES && askable(document.activeElement) === document.activeElement) {
        if (step(document.activeElement as HTMLElement, MOVES[event.key] ?? [0, 0])) event.preventDefault();
      }
    };
    document.addEventListener("pointerover", over);
    document.addEventListener("focusin", over);
    document.addEventListener("scroll", away, true);
    window.addEventListener("keydown", press);
    return () => {
      document.removeEventListener("pointerover", over);
      document.removeEventListener("focusin", over);
      document.removeEventListener("scroll", away, true);
      window.removeEventListener("keydown", press);
    };
  }, [open]);
  if (!place) return null;
  return (
    <button
      type="button"
      className="ask-mark"
      tabIndex={-1}
      aria-label="Ask about this (y)"
      title="ask: why, who, how it adds up (y)"
      style={{ left: place.left, top: place.top }}
      onClick={() => {
        open(place.at);
        setPlace(null);
      }}
    >
      ?
    </button>
  );
}

/** To the next cell of the table that can be asked about; false where there is none that way. */
function step(from: HTMLElement, [down, across]: [number, number]): boolean {
  const cell = from.closest("td, th");
  const line = cell?.parentElement;
  if (!cell || !line) return false;
  const lines = [...(line.closest("table")?.rows ?? [])];
  let [row, column] = [lines.indexOf(line as HTMLTableRowElement), [...line.children].indexOf(cell)];
  for (;;) {
    row += down;
    column += across;
    const next = lines[row]?.children[column];
    if (!next) return false;
    const found = next.matches("[data-ask]") ? next : next.querySelector("[data-ask]");
    if (found instanceof HTMLElement) {
      found.focus();
      return true;
    }
  }
}
