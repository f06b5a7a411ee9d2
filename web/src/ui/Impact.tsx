import type { Schemas } from "../api/client";
import { plural } from "./figures";
import { count } from "./Share";

type ViewerImpact = Schemas["ViewerImpact"];

const MOST = 60;

/** Row counts first, then objects: columns counted, measures and pages by name. */
function summary(rows: string[], objects: string[]): string {
  const columns = objects.filter((name) => name.startsWith("column "));
  const others = objects.filter((name) => !name.startsWith("column "));
  const named = columns.length > 3 ? [plural(columns.length, "column")] : columns;
  return [...rows, ...named, ...(others.length > 8 ? [...others.slice(0, 7), `${others.length - 7} more`] : others)].join(", ");
}

/** Who gains and who loses what. */
export function Impact({ viewers }: { viewers: ViewerImpact[] }) {
  if (viewers.length === 0) return <p className="soft">Nobody sees more or less than before.</p>;
  return (
    <div className="scroll" style={{ maxHeight: 420 }}>
      <p>
        <b>{plural(viewers.length, "person", "people")}</b> will see something else.
      </p>
      <table className="data">
        <thead>
          <tr>
            <th>Person</th>
            <th>Gains</th>
            <th>Loses</th>
          </tr>
        </thead>
        <tbody>
          {viewers.slice(0, MOST).map((viewer) => {
            const gains = (viewer.tables ?? [])
              .filter((table) => table.gained > 0)
              .map((table) => `${table.table} +${count(table.gained)}`);
            const losses = (viewer.tables ?? []).filter((table) => table.lost > 0).map((table) => `${table.table} −${count(table.lost)}`);
            return (
              <tr key={viewer.login}>
                <td>
                  {viewer.name} <span className="soft small">{viewer.login}</span>
                </td>
                <td style={{ whiteSpace: "normal" }}>{summary(gains, viewer.gained ?? []) || <span className="soft">nothing</span>}</td>
                <td style={{ whiteSpace: "normal" }} className={losses.length || viewer.lost?.length ? "warn" : ""}>
                  {summary(losses, viewer.lost ?? []) || <span className="soft">nothing</span>}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {viewers.length > MOST && <p className="soft small">and {viewers.length - MOST} more</p>}
    </div>
  );
}
