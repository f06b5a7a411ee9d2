import { Select } from "antd";
import { useState } from "react";
import type { ModelAnswer, PinnedViewer, Role, Schemas } from "../../api/client";
import { asks, figureSubject, type Subject } from "../../state/asking";
import { columnSubjects, subjectKey } from "../../ui/conditions/clauses";
import { defaultColumn } from "../../ui/defaultColumn";
import { Figure } from "../../ui/Figure";
import { columnHeading } from "../../ui/fullNames";
import { Scroll } from "../../ui/Scroll";
import { SqlLook } from "../../ui/SqlLook";
import { type EffectAnswer, finishedPart } from "../../ui/sentences/sentence";

export type TotalsChoice = { measure: string; by: string };

type Props = {
  model: ModelAnswer;
  answer: EffectAnswer | undefined;
  at: number;
  choice: TotalsChoice | null;
  choose: (choice: TotalsChoice) => void;
  /** Whose SQL can be looked at, and with which role unsaved. */
  viewer: { title: string; viewer: PinnedViewer };
  role: Role;
};

/** A total by a column for one viewer: before and after the edit. */
export function EffectTotals({ model, answer, at, choice, choose, viewer, role }: Props) {
  const [sql, setSql] = useState(false);
  const measures = model.document.measures ?? [];
  if (measures.length === 0) return <p className="soft small">The model has no measure yet: write one under Models.</p>;
  const measure = measures.find((item) => item.name === choice?.measure);
  const subjects = measure ? columnSubjects(model.document, model.reaches, measure.table) : [];
  const before = totals(answer?.before.totals[at]);
  const after = totals(answer?.after?.totals[at]) ?? before;
  const keys = [
    ...new Map([...(before?.lines ?? []), ...(after?.lines ?? [])].map((line) => [JSON.stringify(line.key), line.key])).entries(),
  ];
  const value = (from: Schemas["TotalsAnswer"] | null, key: string) =>
    from?.lines.find((line) => JSON.stringify(line.key) === key)?.values[0];
  const subject = (key: unknown[]) => {
    if (!measure || !choice) return null;
    const asked = { model: model.document.name, measure: measure.name, by: [choice.by], key: key as never };
    return figureSubject(
      asked,
      `${measure.label ?? measure.name}${key.length > 0 ? ` · ${key.map((part) => String(part ?? "(blank)")).join(", ")}` : ""}`,
    );
  };
  const refused = answer && (answer.after ?? answer.before).totals[at];
  return (
    <>
      <div className="row small around-6-0">
        <Select
          size="small"
          showSearch
          aria-label="Measure"
          placeholder="measure"
          className="fill no-least"
          value={choice?.measure}
          optionFilterProp="label"
          onChange={(name) => choose({ measure: name, by: defaultColumn(model, name) })}
          options={measures.map((item) => ({ value: item.name, label: item.label ?? item.name }))}
        />
        by
        <Select
          size="small"
          showSearch
          aria-label="By column"
          className="fill no-least"
          value={choice?.by}
          optionFilterProp="label"
          onChange={(by) => choice && choose({ ...choice, by })}
          options={subjects.map((item) => ({ value: subjectKey(item), label: item.label }))}
        />
        <button type="button" className="textlink" disabled={!choice} onClick={() => setSql(true)}>
          SQL
        </button>
      </div>
      {sql && choice && (
        <SqlLook
          title={viewer.title}
          viewer={viewer.viewer}
          edited={[finishedPart(role).role]}
          question={{ totals: { model: model.document.name, by: [choice.by], measures: [choice.measure], subtotals: false } }}
          close={() => setSql(false)}
        />
      )}
      {refused && "error" in refused && <p className="small soft">{refused.error.message}</p>}
      {after?.not_found.length ? <p className="small warn">The measure is absent for this viewer.</p> : null}
      {keys.length > 0 && (
        <Scroll className="scroll rows" label="Totals before and after">
          <table className="data">
            <thead>
              <tr>
                <th>{columnHeading(choice?.by ?? "")}</th>
                <th className="number">before</th>
                <th className="number">after</th>
              </tr>
            </thead>
            <tbody>
              {keys.slice(0, 200).map(([key, shown]) => (
                <Line
                  key={key}
                  title={shown[0] === null ? "(blank)" : String(shown[0])}
                  before={value(before, key)}
                  after={value(after, key)}
                  format={measure?.format}
                  subject={subject(shown)}
                />
              ))}
              <Line title="Total" before={before?.total[0]} after={after?.total[0]} format={measure?.format} subject={subject([])} sum />
            </tbody>
          </table>
        </Scroll>
      )}
      {after && after.withheld.length > 0 && (
        <p className="small soft">{after.withheld.length} lines are withheld: fewer rows count in them than a mask asks for.</p>
      )}
      {answer && keys.length === 0 && !after?.not_found.length && refused && "lines" in refused && (
        <p className="soft small">No row counts for this viewer.</p>
      )}
      <p className="small soft">Totals count visible rows only, unless a role has whole totals.</p>
    </>
  );
}

function Line({
  title,
  before,
  after,
  format,
  subject,
  sum,
}: {
  title: string;
  before: unknown;
  after: unknown;
  format: string | null | undefined;
  subject: Subject | null;
  sum?: boolean;
}) {
  const differs = before !== after;
  return (
    <tr className={`${sum ? "sum" : ""} ${differs ? "lost" : ""}`}>
      <td>{title}</td>
      <td className={`number ${before === undefined ? "hid" : ""}`}>
        <Figure value={before} format={format} />
      </td>
      <td className={`number ${after === undefined ? "hid" : ""}`} {...asks(subject, "bridge", sum)}>
        <Figure value={after} format={format} />
        {after === undefined && <span className="visually-hidden">withheld</span>}
      </td>
    </tr>
  );
}

function totals(answer: Schemas["EffectSide"]["totals"][number] | undefined): Schemas["TotalsAnswer"] | null {
  return answer && "lines" in answer ? answer : null;
}
