import { useQuery } from "@tanstack/react-query";
import { Select } from "antd";
import { useState } from "react";
import type { PinnedViewer, Role, Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { shownValue } from "../../ui/figures";
import { Notice } from "../../ui/Notice";
import { Scroll } from "../../ui/Scroll";
import type { Editing } from "../../ui/sentences/sentence";
import { useDelayed } from "../../ui/useDelayed";
import type { Members } from "./memberTree";

type Props = { editing: Editing; sentence: Members; viewer: PinnedViewer; levels: string[]; table: string };

/** Own and whole totals side by side, and what a whole total would give away: worked out from the data. */
export function WholeTotals({ editing, sentence, viewer, levels, table }: Props) {
  const { model, role, place } = editing;
  const measures = (model.document.measures ?? []).filter(
    (measure) => measure.table === table || model.reaches[table]?.includes(measure.table),
  );
  const [chosen, setChosen] = useState<string | null>(null);
  const settled = useDelayed(role, 120);
  const as = (totals: "own" | "whole"): Role => ({
    ...settled,
    sentences: (settled.sentences ?? []).map((item, index) =>
      index === place && item.members ? { ...item, members: { ...item.members, totals } } : item,
    ),
  });
  const givenAway = useQuery({
    ...queries.wholeTotals({ role: role.name, sentence: place, viewers: [viewer], edited: [as("whole")] }),
    enabled: measures.length > 0 && editing.effect?.problems.length === 0,
  });
  // The measure that is compared is the one that is warned of, unless another is chosen.
  const warned = givenAway.data?.found[0]?.message ?? "";
  const measure =
    measures.find((item) => item.name === chosen) ??
    measures.find((item) => warned.includes(item.label ?? item.name) || warned.includes(item.name)) ??
    measures[0];
  const ask = [{ totals: { model: model.document.name, by: [`${table}.${levels[0]}`], measures: [measure?.name ?? ""] } }];
  const enabled = measure !== undefined && editing.effect?.problems.length === 0;
  const ownTotals = useQuery({ ...queries.evaluated({ viewers: [viewer], edited: [as("own")], ask }), enabled, select: totalsOf });
  const wholeTotals = useQuery({ ...queries.evaluated({ viewers: [viewer], edited: [as("whole")], ask }), enabled, select: totalsOf });
  if (!measure) return null;
  const lines = keysOf(ownTotals.data, wholeTotals.data);
  const value = (answer: Schemas["TotalsAnswer"] | null | undefined, key: string) =>
    answer?.lines.find((line) => String(line.key[0]) === key)?.values[0];
  return (
    <section aria-label="Own and whole totals">
      <div className="row small">
        <b>Own and whole side by side</b>
        <Select
          showSearch
          optionFilterProp="label"
          size="small"
          aria-label="Measure"
          value={measure.name}
          onChange={setChosen}
          className="least-140"
          options={measures.map((item) => ({ value: item.name, label: item.label ?? item.name }))}
        />
      </div>
      {lines.length > 0 && (
        <Scroll label="Each total, own and whole" className="scroll both-totals">
          <table className="data">
            <thead>
              <tr>
                <th>{levels[0]}</th>
                <th className="number">own</th>
                <th className="number">whole</th>
              </tr>
            </thead>
            <tbody>
              {lines.map((key) => {
                const [own, whole] = [value(ownTotals.data, key), value(wholeTotals.data, key)];
                return (
                  <tr key={key}>
                    <td>{key}</td>
                    <td className="number">{shownValue(own, measure.format)}</td>
                    <td className={`number ${own !== whole ? "differs" : ""}`}>{shownValue(whole, measure.format)}</td>
                  </tr>
                );
              })}
              <tr className="sum">
                <td>Total</td>
                <td className="number">{shownValue(ownTotals.data?.total[0], measure.format)}</td>
                <td className={`number ${ownTotals.data?.total[0] !== wholeTotals.data?.total[0] ? "differs" : ""}`}>
                  {shownValue(wholeTotals.data?.total[0], measure.format)}
                </td>
              </tr>
            </tbody>
          </table>
        </Scroll>
      )}
      {ownTotals.data && lines.length === 0 && (
        <p className="soft small">This viewer sees no member, so there is no total of either kind.</p>
      )}
      {givenAway.data?.found.map((item) => (
        <Notice key={item.message} kind={sentence.totals === "whole" ? "bad" : "careful"}>
          {sentence.totals === "whole" ? item.message : `Were totals whole: ${item.message}`}
          <ul data-testid="given-away">
            {item.evidence.map((line) => (
              <li key={line}>{line}</li>
            ))}
          </ul>
        </Notice>
      ))}
      {givenAway.data?.found.length === 0 && lines.length > 0 && (
        <p className="soft small">Whole totals would give no single hidden member away to this viewer today.</p>
      )}
      {wholeTotals.isError && <p className="small warn">{wholeTotals.error.message}</p>}
    </section>
  );
}

function totalsOf(answer: Schemas["EvaluateAnswer"]): Schemas["TotalsAnswer"] | null {
  const found = answer.viewers[0]?.answers[0];
  return found && "lines" in found ? found : null;
}

function keysOf(...answers: (Schemas["TotalsAnswer"] | null | undefined)[]): string[] {
  return [...new Set(answers.flatMap((answer) => (answer?.lines ?? []).map((line) => String(line.key[0]))))].sort();
}
