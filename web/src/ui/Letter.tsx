import { LETTERS } from "../state/workbench";

/** A viewer's letter and colour; 0 is all data. */
export function Letter({ place, little }: { place: number; little?: boolean }) {
  const name = place === 0 ? "all" : (LETTERS[place - 1] ?? "all");
  return <span className={`letter ${name} ${little ? "little" : ""}`}>{place === 0 ? "0" : name}</span>;
}
