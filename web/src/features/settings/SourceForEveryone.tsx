import type { Schemas } from "../../api/client";
import { plural } from "../../ui/figures";
import { Notice } from "../../ui/Notice";

/** For whom a source would fail, over all people: every combination of values that choose its settings, those that fail first. */
export function SourceForEveryone({ found: { contents, models } }: { found: Schemas["SourceForEveryone"] }) {
  const all = contents.reduce((sum, item) => sum + item.people, 0);
  const whom =
    models.length > 0 ? `${plural(all, "person", "people")} with a role on ${models.join(", ")}` : `all ${plural(all, "person", "people")}`;
  const failing = contents.filter((item) => !item.works).reduce((sum, item) => sum + item.people, 0);
  return (
    <>
      <Notice kind={failing > 0 ? "careful" : "good"}>
        {failing > 0 ? `It would fail for ${failing.toLocaleString("en-GB")} of ${whom}; they see no row of it.` : `It works for ${whom}.`}
      </Notice>
      <table className="data" aria-label="For whom it would fail">
        <thead>
          <tr>
            <th>values</th>
            <th className="number">people</th>
            <th>what comes of it</th>
          </tr>
        </thead>
        <tbody>
          {contents.map((item) => (
            <tr key={JSON.stringify(item.values)}>
              <td>
                {Object.entries(item.values).map(([name, value]) => (
                  <div key={name}>
                    <code>{name}</code> {value === null ? <b className="warn">not set</b> : value}
                  </div>
                ))}
              </td>
              <td className="number">{item.people}</td>
              <td className="wraps">
                {item.works ? "works" : <b className="warn">fails</b>}: {item.message}
                {!item.works && item.logins.length > 0 && (
                  <div className="small soft">
                    {item.logins.join(", ")}
                    {item.people > item.logins.length && ` and ${item.people - item.logins.length} more`}
                  </div>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
