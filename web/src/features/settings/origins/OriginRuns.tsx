import type { Schemas } from "../../../api/client";
import { useChanged } from "../../../api/queries";
import { when } from "../../../ui/when";
import { Arrived } from "./Arrival";

const STATES: Record<Schemas["OriginRunEntry"]["state"], string> = {
  running: "under way",
  applied: "applied",
  same: "nothing new",
  held: "held",
  failed: "failed",
};

/** What came of the last runs of an origin, newest first. */
export function OriginRuns({ entry }: { entry: Schemas["OriginEntry"] | undefined }) {
  const changed = useChanged();
  if (!entry) return null;
  return (
    <section aria-label={`Runs of ${entry.origin.name}`} className="above-14">
      <h3>What came of {entry.origin.label || entry.origin.name}</h3>
      {entry.runs.length === 0 && <p className="soft">Nothing came yet.</p>}
      {entry.runs.map((run) => (
        <details key={run.id} className="below-8">
          <summary>
            {when(run.began_at)} · <b className={run.state === "held" || run.state === "failed" ? "warn" : ""}>{STATES[run.state]}</b> ·{" "}
            {run.message}
          </summary>
          {run.rows.length > 0 ? (
            <Arrived rows={run.rows} origin={entry.origin.name} joined={() => void changed("people")} />
          ) : (
            <p className="soft small">It changed nobody.</p>
          )}
        </details>
      ))}
    </section>
  );
}
