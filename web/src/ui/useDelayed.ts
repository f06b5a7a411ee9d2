import { useEffect, useRef, useState } from "react";

/** The value as it was when it last stood still for so many milliseconds; one that is written the same is the same. */
export function useDelayed<T>(value: T, milliseconds: number): T {
  const [settled, setSettled] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setSettled((before) => (isSame(before, value) ? before : value)), milliseconds);
    return () => clearTimeout(timer);
  }, [value, milliseconds]);
  return settled;
}

/** The value at once where it stood still before for so many milliseconds; where changes come faster, once they pause. */
export function usePrompt<T>(value: T, milliseconds: number): T {
  const [settled, setSettled] = useState(value);
  // Kept beside the drawing, not as a state: to be drawn twice at each change takes longer than the wait it saves.
  const last = useRef({ value, at: Number.NEGATIVE_INFINITY, told: value });
  if (last.current.value !== value) {
    const { value: before, at: then, told } = last.current;
    const at = performance.now();
    last.current = { value, at, told: at - then >= milliseconds ? value : settled === before ? before : told };
  }
  const told = settled === value ? value : last.current.told;
  const waits = told !== value;
  useEffect(() => {
    if (!waits) return;
    const timer = setTimeout(() => setSettled(value), milliseconds);
    return () => clearTimeout(timer);
  }, [waits, value, milliseconds]);
  return told;
}

const isSame = (one: unknown, other: unknown) =>
  one === other || (typeof one === "object" && typeof other === "object" && JSON.stringify(one) === JSON.stringify(other));
