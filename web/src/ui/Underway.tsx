import { Progress } from "antd";
import { count } from "./figures";

/** How far something is that the server works out, `done` of so many; nothing is counted where `of` is 0. */
export function Underway({ what, each = "", done = 0, of = 0 }: { what: string; each?: string; done?: number; of?: number }) {
  return (
    <div className="most-520">
      <p className="soft">
        <span role="status">{what}</span>
        {of > 0 ? ` · ${each} ${count(done)} of ${count(of)}` : "…"}
      </p>
      {of > 0 && <Progress percent={Math.floor((100 * done) / of)} status="active" aria-label={what} />}
    </div>
  );
}
