import { count } from "./figures";

type Props = { visible: number | null; rows: number; was?: number | null; width?: number; note?: string };

/** A share as a short bar with figures beside it; the gorse mark is where it was before the edit. */
export function Share({ visible, rows, was, width = 96, note }: Props) {
  const part = (value: number | null | undefined) => `${rows > 0 ? (100 * (value ?? 0)) / rows : 0}%`;
  const changed = was !== undefined && was !== visible;
  return (
    <>
      <span className={`bar ${visible === null ? "absent" : ""}`} style={{ width }} aria-hidden="true">
        {visible !== null && <i style={{ width: part(visible) }} />}
        {changed && was !== null && <i className="was" style={{ width: part(was) }} />}
      </span>
      <span className="nowrap">
        {visible === null ? <span className="soft">absent</span> : `${count(visible)} of ${count(rows)}`}
        {changed && <small className="soft"> was {was === null ? "absent" : count(was ?? 0)}</small>}
        {note && visible !== null && !changed && <small className="soft"> {note}</small>}
      </span>
    </>
  );
}
