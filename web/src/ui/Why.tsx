import { useQuery } from "@tanstack/react-query";
import type { PinnedViewer, Role, Schemas, StateName } from "../api/client";
import { queries } from "../api/queries";
import { useRoles } from "../state/directory";
import { Notice } from "./Notice";
import "./why.css";

export type About = Schemas["Traced"];

const LAYERS: Record<string, string> = {
  account: "Account",
  page: "Page",
  model: "Model",
  object: "Objects",
  rows: "Rows",
  masks: "Masks",
  limits: "Limits",
};
const SIGNS = { passes: "✓", masked: "~", stops: "–" } as const;
const VERDICTS = { passes: "passes", masked: "shown in part", stops: "stops here" } as const;
const OUTCOMES = { can: "visible", masked: "visible in part", cannot: "withheld" } as const;

type Props = { viewer: PinnedViewer; about: About; edited?: Role[]; state?: StateName; title: string };

/** Why a viewer can or cannot: the trace as a ladder of layers, and what would have to change. */
export function Why({ viewer, about, edited = [], state = "draft", title }: Props) {
  const why = useQuery(queries.why({ viewer, about, edited, state }));
  if (why.isError) return <Notice kind="careful">{why.error.message}</Notice>;
  if (!why.data) return <p className="soft small">Following the rules…</p>;
  const { trace, remedies } = why.data;
  return (
    <div className="why" data-testid="why">
      <p>
        {title}: <b>{OUTCOMES[trace.outcome]}</b>
      </p>
      <ol>
        {trace.layers.map((layer) => (
          <li key={layer.layer} className={layer.verdict}>
            <span className="sign" role="img" aria-label={VERDICTS[layer.verdict]}>
              {SIGNS[layer.verdict]}
            </span>
            <div>
              <b>{LAYERS[layer.layer] ?? layer.layer}</b> {layer.message}
              {(layer.reasons ?? []).map((reason, index) => (
                <ReasonOf key={index} reason={reason} plain={layer.layer === "model"} />
              ))}
            </div>
          </li>
        ))}
      </ol>
      {trace.outcome !== "can" && (
        <>
          <h3>What would have to change</h3>
          {remedies.length === 0 && <p className="soft small">No single change is enough.</p>}
          <ul className="small">
            {remedies.slice(0, 8).map((remedy) => (
              <li key={`${remedy.kind}.${remedy.name}.${remedy.message}`}>
                {remedy.message} {remedy.outcome === "masked" && <span className="soft">(shown in part)</span>}
              </li>
            ))}
          </ul>
        </>
      )}
    </div>
  );
}

/** What one role says; at the layer of the model every role is only named. */
function ReasonOf({ reason, plain }: { reason: Schemas["Reason"]; plain: boolean }) {
  const roles = useRoles();
  const label = roles.data?.roles.find((entry) => entry.role.name === reason.role)?.role.label ?? reason.role;
  return (
    <div className={`reason ${reason.passes || plain ? "" : "no"}`}>
      <b title={reason.role}>{label}</b>
      {reason.sentence !== null && reason.sentence !== undefined && <span className="soft"> sentence {reason.sentence + 1}</span>}:{" "}
      {reason.message}
      {reason.held_by.length > 0 && <div className="soft">held {reason.held_by.join("; ")}</div>}
      {(reason.compared ?? []).map((item) => (
        <div key={item.name} className="soft">
          <code>{item.name}</code> ={" "}
          <b>{item.value === null ? "not set" : Array.isArray(item.value) ? item.value.join(", ") : String(item.value)}</b>
          {item.source && ` (${item.source})`}
        </div>
      ))}
    </div>
  );
}
