import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Link } from "react-router-dom";
import { queries } from "../../api/queries";
import { useRights } from "../../state/rights";
import { useWorkbench } from "../../state/workbench";
import { plural } from "../../ui/figures";

/** Is it safe, and what is waiting: each line leads to the place that mends it. */
export function Waiting() {
  const bench = useWorkbench();
  const { may, everywhere } = useRights();
  const promises = useQuery({ ...queries.promises(), enabled: may("checks", "release") });
  const keeps = everywhere("checks");
  const again = (query: { state: { data?: { ready: boolean; failed?: string | null } } }) =>
    query.state.data && !query.state.data.ready && !query.state.data.failed ? 900 : false;
  const findings = useQuery({ ...queries.findings(), enabled: keeps, refetchInterval: again });
  const guard = useQuery({ ...queries.guardKnown(), enabled: keeps });
  const waiting = useQuery(queries.overview());
  const broken = promises.data?.promises.filter((entry) => !entry.draft.kept) ?? [];
  const liveBroken = promises.data?.promises.filter((entry) => entry.live && !entry.live.kept) ?? [];
  const open = findings.data?.findings.filter((item) => !item.accepted) ?? [];
  const high = open.filter((item) => item.weight === "high");
  const unguarded = guard.data?.sentences.filter((item) => !item.guarded) ?? [];
  const told = waiting.data;
  return (
    <section aria-label="What is waiting">
      <h3>Is it safe?</h3>
      <ul className="waiting">
        {bench.trailBroken && (
          <Line bad to="/trail">
            <b>The trail is not as it was written</b>: {bench.trailBroken}
          </Line>
        )}
        {promises.data && (
          <Line bad={broken.length > 0} to="/checks/promises">
            {promises.data.promises.length === 0
              ? "nothing is promised yet"
              : broken.length === 0
                ? `all ${plural(promises.data.promises.length, "promise")} kept`
                : `${broken.length} of ${plural(promises.data.promises.length, "promise")} broken by the draft`}
            {liveBroken.length > 0 && `, ${liveBroken.length} by what is live`}
          </Line>
        )}
        {keeps && (
          <Line bad={high.length > 0} to="/checks/findings">
            {findings.data?.ready
              ? `${plural(open.length, "finding")}${high.length > 0 ? `, ${high.length} of them of most weight` : ""}${open.some((item) => item.new) ? `, ${open.filter((item) => item.new).length} new` : ""}`
              : "looking for what looks wrong…"}
          </Line>
        )}
        {keeps && (
          <Line bad={false} to="/checks/guarding">
            {guard.data?.ready
              ? `${Math.round(guard.data.share)} % of the sentences are guarded by promises; ${plural(unguarded.length, "sentence")} could be undone unnoticed`
              : "see which mistakes no promise would notice"}
          </Line>
        )}
        {keeps && (
          <Line bad={false} to="/checks/probe">
            see what a curious person could work out
          </Line>
        )}
      </ul>
      <h3>What is waiting?</h3>
      <ul className="waiting">
        {bench.changes > 0 && (
          <Line bad={false} to="/releases">
            {plural(bench.changes, "change")} in the draft since release {bench.live ?? "–"}
          </Line>
        )}
        {told?.asked_by && (
          <Line bad={false} to="/releases">
            {told.asked_by} asked for a release that waits for a second person
          </Line>
        )}
        {told && told.quarantined.length > 0 && (
          <Line bad to="/models">
            {plural(told.quarantined.length, "new column")} in quarantine:{" "}
            {told.quarantined
              .slice(0, 3)
              .map((item) => `${item.table}${item.column ? `.${item.column}` : ""}`)
              .join(", ")}
          </Line>
        )}
        {told && told.refreshes.length > 0 && (
          <Line bad={false} to="/models">
            {plural(told.refreshes.length, "refresh", "refreshes")} to accept: {told.refreshes.map((item) => item.table).join(", ")}
          </Line>
        )}
        {told?.origins.map((item) => (
          <Line bad key={item.label} to="/settings/directories">
            {item.label}: {item.why}
          </Line>
        ))}
        {told?.new_members.map((item) => (
          <Line bad={false} key={`${item.table}.${item.column}`} to="/models">
            {plural(item.values, "new member")} of {item.hierarchies.join(", ")} since the last release ({item.column})
          </Line>
        ))}
        {told?.ending.map((item) => (
          <Line bad={false} key={`${item.role} ${item.whom}`} to={`/roles/${encodeURIComponent(item.role)}`}>
            {item.label} ends for {item.whom} on {item.until}
          </Line>
        ))}
        {told &&
          bench.changes === 0 &&
          !told.asked_by &&
          told.quarantined.length + told.refreshes.length + told.new_members.length + told.ending.length + told.origins.length === 0 && (
            <li className="soft">Nothing is waiting.</li>
          )}
      </ul>
    </section>
  );
}

function Line({ bad, to, children }: { bad: boolean; to: string; children: ReactNode }) {
  return (
    <li>
      <Link to={to} className={bad ? "waiting-line bad" : "waiting-line"}>
        {bad && (
          <b className="warn" aria-hidden="true">
            !
          </b>
        )}{" "}
        {children}
      </Link>
    </li>
  );
}
