import { useEffect, useState } from "react";

/** The value as it was when it last stood still for so many milliseconds; an object is the same as long as it is the same object. */
export function useDelayed<T>(value: T, milliseconds: number): T {
  const [settled, setSettled] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(value), milliseconds);
    return () => clearTimeout(timer);
  }, [value, milliseconds]);
  return settled;
}

/** The value at once where it stood still before for so many milliseconds; where changes come faster, once they pause. */
export function usePrompt<T>(value: T, milliseconds: number): T {
  const delayed = useDelayed(value, milliseconds);
  const [last, setLast] = useState({ value, at: Number.NEGATIVE_INFINITY, told: value });
  if (last.value === value) return delayed === value ? value : last.told;
  const at = performance.now();
  const before = delayed === last.value ? last.value : last.told;
  const told = at - last.at >= milliseconds ? value : before;
  setLast({ value, at, told });
  return told;
}
