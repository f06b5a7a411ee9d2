import { useQuery } from "@tanstack/react-query";
import { queries } from "../../api/queries";
import { useRights } from "../../state/rights";

const SAID = {
  current: "as the live release has it",
  "out of date": "out of date: the release, people or tables copied into it have changed",
  "not known": "not known: the database does not answer",
} as const;

/** Guards in databases: the policy of models as it is written there, for programs that read it there. */
export function Guards() {
  const { may } = useRights();
  const found = useQuery({ ...queries.guards(), enabled: may("release") });
  const guards = found.data?.guards ?? [];
  if (guards.length === 0) return null;
  return (
    <section aria-label="Guards in databases" data-testid="guards">
      <h3>Guards in databases</h3>
      <table className="data">
        <thead>
          <tr>
            <th>model</th>
            <th>database</th>
            <th>state</th>
            <th>made on</th>
            <th>left out closed</th>
          </tr>
        </thead>
        <tbody>
          {guards.map((guard) => (
            <tr key={guard.model}>
              <td>{guard.model}</td>
              <td>{guard.source}</td>
              <td className={`wraps ${guard.state === "current" ? "" : "warn"}`}>
                {SAID[guard.state]}
                {guard.state === "out of date" && (
                  <div className="small">
                    <code>moorland guard apply {guard.model}</code>
                  </div>
                )}
              </td>
              <td>{guard.made_on ?? ""}</td>
              <td className="wraps small">{guard.left_out.join(" ") || "nothing"}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
