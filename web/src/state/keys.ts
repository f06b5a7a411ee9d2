import { useEffect, useRef } from "react";

const NOT_WRITTEN_IN = /^(checkbox|radio|button|submit|reset|file|range|color)$/;

/** Whether keys pressed there write text. */
export function isTyping(target: EventTarget | null): boolean {
  if (!(target instanceof HTMLElement)) return false;
  if (target instanceof HTMLInputElement) return !NOT_WRITTEN_IN.test(target.type);
  return target.isContentEditable || /^(TEXTAREA|SELECT)$/.test(target.tagName);
}

export type EditKeys = { save?: (() => void) | null; undo?: (() => void) | null; redo?: (() => void) | null };

/** Ctrl+S saves; Ctrl+Z and Ctrl+Shift+Z (or Ctrl+Y) undo and redo, but while text is written, which has an undo of its own. */
export function useEditKeys(keys: EditKeys): void {
  const now = useRef(keys);
  now.current = keys;
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      if (!(event.ctrlKey || event.metaKey) || event.altKey) return;
      const key = event.key.toLowerCase();
      if (key === "s" && now.current.save !== undefined) {
        event.preventDefault();
        now.current.save?.();
      } else if ((key === "z" || key === "y") && !isTyping(event.target)) {
        event.preventDefault();
        (key === "y" || event.shiftKey ? now.current.redo : now.current.undo)?.();
      }
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, []);
}
