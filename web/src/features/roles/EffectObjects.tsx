import type { ModelAnswer, Schemas } from "../../api/client";
import type { EffectAnswer } from "../../ui/sentences/sentence";
import { Falls } from "./Falls";

type Props = {
  share: Schemas["ModelShare"];
  before: Schemas["ModelShare"] | undefined;
  model: ModelAnswer | undefined;
  effect: EffectAnswer | undefined;
};

/** What exists for the viewer, what the edit takes and gives, and what falls under the role. */
export function EffectObjects({ share, before, model, effect }: Props) {
  const label = (name: string) => model?.document.measures?.find((measure) => measure.name === name)?.label ?? name;
  const lost = (before?.measures ?? []).filter((name) => !share.measures.includes(name));
  const gained = share.measures.filter((name) => before && !before.measures.includes(name));
  return (
    <div className="small">
      <p>
        <b>Measures visible:</b> {share.measures.map(label).join(", ") || "none"}
      </p>
      <p>
        <b>Measures absent:</b> {share.absent_measures.map(label).join(", ") || "none"}
      </p>
      {lost.length > 0 && <p className="warn">Lost by this edit: {lost.map(label).join(", ")}</p>}
      {gained.length > 0 && <p>Gained by this edit: {gained.map(label).join(", ")}</p>}
      {share.tables
        .filter((table) => table.absent_columns.length > 0)
        .map((table) => (
          <p key={table.table}>
            <b>{table.table}:</b> absent are {table.absent_columns.join(", ")}
          </p>
        ))}
      <h3>Under this role</h3>
      <Falls effect={effect} />
    </div>
  );
}
