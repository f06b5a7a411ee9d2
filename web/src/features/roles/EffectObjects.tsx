import type { ModelAnswer, Schemas } from "../../api/client";
import { asks, objectSubject } from "../../state/asking";
import { columnHeading } from "../../ui/fullNames";
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
        <b>Measures visible:</b> <Named kind="measure" names={share.measures} label={label} model={model} />
      </p>
      <p>
        <b>Measures absent:</b> <Named kind="measure" names={share.absent_measures} label={label} model={model} />
      </p>
      {lost.length > 0 && <p className="warn">Lost by this edit: {lost.map(label).join(", ")}</p>}
      {gained.length > 0 && <p>Gained by this edit: {gained.map(label).join(", ")}</p>}
      {share.tables
        .filter((table) => table.absent_columns.length > 0)
        .map((table) => (
          <p key={table.table}>
            <b>{table.table}:</b> absent are{" "}
            <Named kind="column" names={table.absent_columns.map((name) => `${table.table}.${name}`)} label={columnHeading} model={model} />
          </p>
        ))}
      <h3>Under this role</h3>
      <Falls effect={effect} />
    </div>
  );
}

type NamedProps = { kind: "measure" | "column"; names: string[]; label: (name: string) => string; model: ModelAnswer | undefined };

/** Names that can each be asked about. */
function Named({ kind, names, label, model }: NamedProps) {
  if (names.length === 0) return "none";
  return names.map((name, index) => (
    <span key={name}>
      {index > 0 && ", "}
      <span {...asks(objectSubject(model?.document.name ?? "", kind, name, label(name)), "why", index === 0)}>{label(name)}</span>
    </span>
  ));
}
