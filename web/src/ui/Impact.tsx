import { asks, tableSubject } from "../state/asking";
import { count, plural } from "./figures";
import { byKind, figuresOf, type SharedImpact } from "./impactLines";
import { Notice } from "./Notice";
import { Scroll } from "./Scroll";

const MOST_LINES = 60;

function People({ people, named }: SharedImpact) {
  const [first, ...others] = named;
  if (!first) return null;
  return (
    <>
      {first.name} <span className="soft small">{first.login}</span>
      {people > 1 && (
        <details>
          <summary className="small">and {plural(people - 1, "other")}</summary>
          {others.map((person) => (
            <div key={person.login} className="small">
              {person.name} <span className="soft">{person.login}</span>
            </div>
          ))}
          {people > named.length && <div className="small soft">and {count(people - named.length)} more</div>}
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
const isOnlyConcerned = (group: SharedImpact) =>
  !group.not_known && [group.tables, group.totals, group.gained, group.lost].every((part) => (part ?? []).length === 0);

/** Who gains and who loses what. */
export function Impact({ groups }: { groups: SharedImpact[] }) {
  if (groups.length === 0) return <p className="soft">Nobody sees more or less than before.</p>;
  const people = groups.reduce((sum, group) => sum + group.people, 0);
  if (groups.every(isOnlyConcerned)) {
    const names = groups.flatMap((group) => group.named.map((person) => person.name));
    return (
      <p>
        This concerns {names.join(", ")}
        {people > names.length && ` and ${count(people - names.length)} more`}.{" "}
        <span className="soft">What they gain or lose is for who may look at them.</span>
      </p>
    );
  }
  return (
    <Scroll label="Who gains and who loses" className="scroll low-420">
      <p>
        <b>{plural(people, "person", "people")}</b> will see something else.
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
            const { tables = [], gained = [], lost = [] } = group;
            const gains = [...byKind(gained), ...figuresOf(group, true)];
            const losses = [...byKind(lost), ...figuresOf(group, false)];
            const more = tables.filter((table) => table.gained > 0);
            const fewer = tables.filter((table) => table.lost > 0);
            return (
              <tr key={group.named[0]?.login}>
                <td>
                  <People {...group} />
                </td>
                {group.not_known && <td colSpan={2}>not known: a source that is chosen for them does not answer</td>}
                {!group.not_known && (
                  <td>
                    <Changes tables={more.map((table) => ({ ...table, told: `${table.table} +${count(table.gained)}` }))} others={gains} />
                  </td>
                )}
                {!group.not_known && (
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
