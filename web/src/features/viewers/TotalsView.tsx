import { useQuery } from "@tanstack/react-query";
import { Checkbox, Select } from "antd";
import { useMemo, useState } from "react";
import type { ModelAnswer } from "../../api/client";
import { queries } from "../../api/queries";
import { asks, figureSubject } from "../../state/asking";
import { focusedViewer, useWorkbench } from "../../state/workbench";
import { shownKey } from "../../ui/chartLines";
import { columnType, literal } from "../../ui/conditions/clauses";
import { defaultColumn } from "../../ui/defaultColumn";
import { Figure } from "../../ui/Figure";
import { FilterField } from "../../ui/FilterField";
import { count } from "../../ui/figures";
import { columnHeading, splitName } from "../../ui/fullNames";
import { Letter } from "../../ui/Letter";
import { Notice } from "../../ui/Notice";
import { RowsBeneath } from "../../ui/RowsBeneath";
import { Scroll } from "../../ui/Scroll";
import { Share } from "../../ui/Share";
import { SqlLook } from "../../ui/SqlLook";
import { type Answer, anyLines, indexed, isTotals, lineKey, readingOrder } from "./totalsLines";
import "../../ui/rows-view.css";

export type TotalsChoice = { measure: string | null; by: string[]; where: string | null };

type Props = {
  model: ModelAnswer;
  differing: boolean;
  setDiffering: (differing: boolean) => void;
  choice: TotalsChoice | null;
  choose: (choice: TotalsChoice) => void;
};

/** Totals of a measure for all data and each viewer, line by line. */
export function TotalsView({ model, differing, setDiffering, choice, choose }: Props) {
  const bench = useWorkbench();
  const columns = (model.document.tables ?? []).flatMap((table) => (table.columns ?? []).map((column) => `${table.name}.${column.name}`));
  const measures = model.document.measures ?? [];
  const measure = measures.find((item) => item.name === choice?.measure)?.name ?? measures[0]?.name;
  const by = (choice?.by ?? [defaultColumn(model, measures[0]?.name)]).filter((name) => columns.includes(name));
  const where = choice?.where ?? null;
  const change = (part: Partial<TotalsChoice>) => choose({ measure: measure ?? null, by, where, ...part });
  const [beneath, setBeneath] = useState<{ place: number; key: unknown[]; title: string } | null>(null);
  const [sql, setSql] = useState(false);
  const viewers = useMemo(() => [{ all_data: true as const }, ...bench.pins.map((pin) => pin.viewer)], [bench.pins]);
  const asked = useQuery({
    ...queries.evaluated({
      state: bench.state,
      as_of: bench.day,
      viewers,
      unseen: true,
      ask: [{ totals: { model: model.document.name, by, measures: [measure ?? ""], where, subtotals: true } }],
    }),
    enabled: measure !== undefined,
  });
  const answers = asked.data?.viewers.map((entry) => entry.answers[0]) ?? [];
  const whole = answers[0];
  const every = readingOrder(isTotals(whole) ? whole : anyLines(answers));
  const maps = answers.map(indexed);
  const parts = (key: unknown[]) => new Set(maps.map((map) => String(map.get(lineKey(key))?.[0] ?? ""))).size > 1;
  const lines = differing ? every.filter((line) => line.depth === 0 || parts(line.key)) : every;
  const unseen = indexed(asked.data?.unseen[0]);
  const shape = measures.find((item) => item.name === measure);
  const format = shape?.format ?? null;
  const basis = (answer: Answer | undefined) => (isTotals(answer) ? (answer.basis[0] ?? null) : null);
  const noWhole = whole && "error" in whole ? whole.error.message : null;
  const wrong = answers.some(isTotals) ? null : noWhole;
  const reasons = bench.pins.map((_, index) => {
    const answer = answers[index + 1];
    if (answer && "error" in answer) return answer.error.message;
    return isTotals(answer) && answer.not_found.length > 0 ? "this measure is absent" : null;
  });
  return (
    <>
      <div className="row asked">
        <span className="soft">by</span>
        <Select
          mode="multiple"
          aria-label="By columns"
          value={by}
          onChange={(value) => change({ by: value.slice(0, 3) })}
          className="least-220"
          options={columns.map((name) => ({ value: name, label: name }))}
        />
        <span className="soft">measure</span>
        <Select
          showSearch
          aria-label="Measure"
          value={measure}
          onChange={(name: string) => change({ measure: name })}
          className="least-170"
          optionFilterProp="label"
          options={measures.map((item) => ({ value: item.name, label: item.label ?? item.name }))}
        />
        <FilterField model={model} table={null} where={where} onChange={(text) => change({ where: text })} />
        <Checkbox checked={differing} disabled={bench.pins.length === 0} onChange={(event) => setDiffering(event.target.checked)}>
          only where they differ
        </Checkbox>
        <span className="grow" />
        <button type="button" className="textlink" onClick={() => setSql(true)}>
          SQL
        </button>
      </div>
      {sql && (
        <SqlLook
          title={bench.pins[bench.focus - 1]?.title ?? "all data"}
          viewer={focusedViewer(bench)}
          state={bench.state}
          question={{ totals: { model: model.document.name, by, measures: measure ? [measure] : [], where, subtotals: false } }}
          close={() => setSql(false)}
        />
      )}
      {asked.isError && <Notice kind="bad">{asked.error.message}</Notice>}
      {wrong && <Notice kind="bad">{wrong}</Notice>}
      {noWhole && !wrong && <Notice kind="careful">{noWhole}</Notice>}
      {!wrong && (
        <Scroll label="Totals" busy={asked.isFetching}>
          <table className="data" data-testid="totals">
            <thead>
              <tr>
                {by.map((name) => (
                  <th key={name}>{columnHeading(name)}</th>
                ))}
                <th className="number">
                  <Letter place={0} little /> all data
                </th>
                {bench.pins.map((pin, index) => (
                  <th key={pin.key} className="number" title={pin.detail}>
                    <Letter place={index + 1} little /> {typeof pin.viewer === "string" ? pin.viewer : pin.title}
                    {reasons[index] && <div className="small warn">{reasons[index]}</div>}
                  </th>
                ))}
                {bench.pins.length > 0 && <th className="number">nobody here sees</th>}
              </tr>
            </thead>
            <tbody>
              {lines.map(({ key, depth }, line) => {
                const name = lineKey(key);
                const all = maps[0]?.get(name)?.[0];
                const left = unseen.get(name)?.[0];
                return (
                  <tr key={name} className={depth === 0 ? "total" : depth < by.length ? "group" : ""}>
                    {by.map((column, index) => (
                      <td key={column}>
                        {depth === 0
                          ? index === 0
                            ? "Total"
                            : ""
                          : index === depth - 1 || (index < depth && by.length === depth && index === depth - 1)
                            ? shownKey(key[index])
                            : ""}
                      </td>
                    ))}
                    <td className="number">{noWhole ? <span className="soft">–</span> : <Figure value={all} format={format} />}</td>
                    {bench.pins.map((pin, index) => {
                      const values = maps[index + 1]?.get(name);
                      const value = values?.[0];
                      const subject = figureSubject(
                        {
                          model: model.document.name,
                          measure: measure ?? "",
                          by,
                          where,
                          subtotals: true,
                          key: key.slice(0, depth) as never,
                        },
                        `${shape?.label ?? measure}${depth > 0 ? ` · ${key.slice(0, depth).map(shownKey).join(", ")}` : ""}`,
                      );
                      const hidden = values === undefined || value === null || value === undefined;
                      const differs = !hidden && !noWhole && value !== all;
                      return (
                        <td
                          key={pin.key}
                          className={`number ${hidden ? "hid" : differs ? "differs" : ""}`}
                          title={hidden ? "hidden from this viewer" : differs ? "differs from all data" : undefined}
                          {...asks(subject, "bridge", line === 0 && index === 0, index + 1)}
                        >
                          {hidden ? (
                            <span className="visually-hidden">hidden</span>
                          ) : (
                            <button
                              type="button"
                              className="plain"
                              title="rows beneath"
                              onClick={() => setBeneath({ place: index, key: key.slice(0, depth), title: subject.title })}
                            >
                              <Figure value={value} format={format} inside />
                            </button>
                          )}
                        </td>
                      );
                    })}
                    {bench.pins.length > 0 && (
                      <td className={`number ${left ? "warn" : "soft"}`}>
                        {left === undefined || left === null ? "–" : <Figure value={left} format={format} />}
                      </td>
                    )}
                  </tr>
                );
              })}
            </tbody>
          </table>
          {lines.length === 0 && !asked.isPending && <p className="pad soft">No row counts in this question.</p>}
        </Scroll>
      )}
      {beneath && shape && (
        <RowsBeneath
          model={model.document.name}
          viewer={bench.pins[beneath.place]?.viewer ?? { all_data: true }}
          table={shape.table}
          title={`${beneath.title}, as ${bench.pins[beneath.place]?.title ?? "all data"}`}
          where={lineCondition(model, by, beneath.key, where)}
          close={() => setBeneath(null)}
        />
      )}
      <div className="counted">
        <b>Rows counted</b>
        {bench.pins.map((pin, index) => {
          const rows = basis(whole) ?? 0;
          return (
            <span key={pin.key} className="row">
              <Letter place={index + 1} little />
              {noWhole ? `${count(basis(answers[index + 1]) ?? 0)} rows` : <Share visible={basis(answers[index + 1])} rows={rows} />}
            </span>
          );
        })}
        {!noWhole && <span className="soft">all data {count(basis(whole) ?? 0)}</span>}
        <span className="grow" />
        <span className="soft small">
          What differs from all data is tinted and has a ≠; hatched crossings are hidden from that viewer. Totals count visible rows only.
        </span>
      </div>
    </>
  );
}

/** The rows of a line, as a condition. */
function lineCondition(model: ModelAnswer, by: string[], key: unknown[], where: string | null): string | null {
  const parts = key.map((value, index) => {
    const [table, column] = splitName(by[index] ?? "");
    const name = `${table}."${column}"`;
    return value === null ? `${name} IS NULL` : `${name} = ${literal(value, columnType(model.document, table, column))}`;
  });
  return [...(where ? [`(${where})`] : []), ...parts].join(" AND ") || null;
}
