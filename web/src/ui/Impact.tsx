import { asks, tableSubject } from "../state/asking";
import { count, plural } from "./figures";
import { alike, byKind, figuresOf, type ViewerImpact } from "./impactLines";
import { Notice } from "./Notice";
import { Scroll } from "./Scroll";

const MOST_LINES = 60;

function People({ viewers }: { viewers: ViewerImpact[] }) {
  const [first, ...others] = viewers;
  if (!first) return null;
  return (
    <>
      {first.name} <span className="soft small">{first.login}</span>
      {others.length > 0 && (
        <details>
          <summary className="small">and {plural(others.length, "other")}</summary>
          {others.map((viewer) => (
            <div key={viewer.login} className="small">
              {viewer.name} <span className="soft">{viewer.login}</span>
            </div>
          ))}
        </details>
      )}
    </>
  );
}

/** What is gained, or lost; who sees a table can be asked. */
function Changes({ tables, others }: { tables: { model: string; table: string; told: string }[]; others: string[] }) {
  if (tables.length + others.length === 0) return <span className="soft">nothing</span>;
  return (
    <>
      {tables.map((table, index) => (
        <span key={table.told}>
          {index > 0 && ", "}
          <span {...asks(tableSubject(table.model, table.table), "who", index === 0)}>{table.told}</span>
        </span>
      ))}
      {tables.length > 0 && others.length > 0 && ", "}
      {others.join(", ")}
    </>
  );
}

/** Whether somebody is only told to be concerned: what changes for them is for who may look at them. */
const isOnlyConcerned = (viewer: ViewerImpact) =>
  !viewer.not_known && [viewer.tables, viewer.totals, viewer.gained, viewer.lost].every((part) => (part ?? []).length === 0);

/** Who gains and who loses what. */
export function Impact({ viewers }: { viewers: ViewerImpact[] }) {
  if (viewers.length === 0) return <p className="soft">Nobody sees more or less than before.</p>;
  if (viewers.every(isOnlyConcerned))
    return (
      <p>
        This concerns {viewers.map((viewer) => viewer.name).join(", ")}.{" "}
        <span className="soft">What they gain or lose is for who may look at them.</span>
      </p>
    );
  const groups = alike(viewers);
  return (
    <Scroll label="Who gains and who loses" className="scroll low-420">
      <p>
        <b>{plural(viewers.length, "person", "people")}</b> will see something else.
      </p>
      <table className="data impact">
        <thead>
          <tr>
            <th>Person</th>
            <th>Gains</th>
            <th>Loses</th>
          </tr>
        </thead>
        <tbody>
          {groups.slice(0, MOST_LINES).map((group) => {
            const { tables = [], gained = [], lost = [], login = "" } = group[0] ?? {};
            const gains = [...byKind(gained), ...(group[0] ? figuresOf(group[0], true) : [])];
            const losses = [...byKind(lost), ...(group[0] ? figuresOf(group[0], false) : [])];
            const more = tables.filter((table) => table.gained > 0);
            const fewer = tables.filter((table) => table.lost > 0);
            return (
              <tr key={login}>
                <td>
                  <People viewers={group} />
                </td>
                {group[0]?.not_known && <td colSpan={2}>not known: a source that is chosen for them does not answer</td>}
                {!group[0]?.not_known && (
                  <td>
                    <Changes tables={more.map((table) => ({ ...table, told: `${table.table} +${count(table.gained)}` }))} others={gains} />
                  </td>
                )}
                {!group[0]?.not_known && (
                  <td className={losses.length + fewer.length > 0 ? "warn" : ""}>
                    <Changes tables={fewer.map((table) => ({ ...table, told: `${table.table} −${count(table.lost)}` }))} others={losses} />
                  </td>
                )}
              </tr>
            );
          })}
        </tbody>
      </table>
      {groups.length > MOST_LINES && <p className="soft small">and {groups.length - MOST_LINES} more lines</p>}
    </Scroll>
  );
}

/** The promises of what is live that something would break. */
export function Breaks({ promises }: { promises: string[] }) {
  if (promises.length === 0) return null;
  return (
    <Notice kind="bad">
      <b>This breaks {plural(promises.length, "promise")}</b> of what is live: {promises.join("; ")}.
    </Notice>
  );
}
