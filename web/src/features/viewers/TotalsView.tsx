import { useQuery } from "@tanstack/react-query";
import { Select } from "antd";
import { useMemo, useState } from "react";
import type { ModelAnswer } from "../../api/client";
import { queries } from "../../api/queries";
import { asks, figureSubject } from "../../state/asking";
import { focusedViewer, useWorkbench } from "../../state/workbench";
import { shownKey } from "../../ui/chartLines";
import { defaultColumn } from "../../ui/defaultColumn";
import { Figure } from "../../ui/Figure";
import { FilterField } from "../../ui/FilterField";
import { columnHeading } from "../../ui/fullNames";
import { Letter } from "../../ui/Letter";
import { Notice } from "../../ui/Notice";
import { Scroll } from "../../ui/Scroll";
import { count, Share } from "../../ui/Share";
import { SqlLook } from "../../ui/SqlLook";
import { type Answer, indexed, isTotals, lineKey, readingOrder } from "./totalsLines";
import "../../ui/rows-view.css";

export function TotalsView({ model }: { model: ModelAnswer }) {
  const bench = useWorkbench();
  const columns = (model.document.tables ?? []).flatMap((table) => (table.columns ?? []).map((column) => `${table.name}.${column.name}`));
  const measures = model.document.measures ?? [];
  const [measure, setMeasure] = useState<string | undefined>(() => measures[0]?.name);
  const [by, setBy] = useState<string[]>(() => [defaultColumn(model, measures[0]?.name)].filter((name) => columns.includes(name)));
  const [where, setWhere] = useState<string | null>(null);
  const [sql, setSql] = useState(false);
  const viewers = useMemo(() => [{ all_data: true as const }, ...bench.pins.map((pin) => pin.viewer)], [bench.pins]);
  const asked = useQuery({
    ...queries.evaluated({
      state: bench.state,
      viewers,
      unseen: true,
      ask: [{ totals: { model: model.document.name, by, measures: [measure ?? ""], where, subtotals: true } }],
    }),
    enabled: measure !== undefined,
  });
  const answers = asked.data?.viewers.map((entry) => entry.answers[0]) ?? [];
  const whole = answers[0];
  const lines = readingOrder(whole);
  const maps = answers.map(indexed);
  const unseen = indexed(asked.data?.unseen[0]);
  const format = measures.find((item) => item.name === measure)?.format ?? null;
  const basis = (answer: Answer | undefined) => (isTotals(answer) ? (answer.basis[0] ?? null) : null);
  const wrong = whole && "error" in whole ? whole.error.message : null;
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
          onChange={(value) => setBy(value.slice(0, 3))}
          className="least-220"
          options={columns.map((name) => ({ value: name, label: name }))}
        />
        <span className="soft">measure</span>
        <Select
          showSearch
          aria-label="Measure"
          value={measure}
          onChange={setMeasure}
          className="least-170"
          optionFilterProp="label"
          options={measures.map((item) => ({ value: item.name, label: item.label ?? item.name }))}
        />
        <FilterField model={model} table={null} where={where} onChange={setWhere} />
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
                    <td className="number">
                      <Figure value={all} format={format} />
                    </td>
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
                        `${measures.find((item) => item.name === measure)?.label ?? measure}${depth > 0 ? ` · ${key.slice(0, depth).map(shownKey).join(", ")}` : ""}`,
                      );
                      const hidden = values === undefined || value === null || value === undefined;
                      const differs = !hidden && value !== all;
                      return (
                        <td
                          key={pin.key}
                          className={`number ${hidden ? "hid" : differs ? "differs" : ""}`}
                          title={hidden ? "hidden from this viewer" : differs ? "differs from all data" : undefined}
                          {...asks(subject, "bridge", line === 0 && index === 0, index + 1)}
                        >
                          {hidden ? <span className="visually-hidden">hidden</span> : <Figure value={value} format={format} />}
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
      <div className="counted">
        <b>Rows counted</b>
        {bench.pins.map((pin, index) => {
          const rows = basis(whole) ?? 0;
          return (
            <span key={pin.key} className="row">
              <Letter place={index + 1} little />
              <Share visible={basis(answers[index + 1])} rows={rows} />
            </span>
          );
        })}
        <span className="soft">all data {count(basis(whole) ?? 0)}</span>
        <span className="grow" />
        <span className="soft small">
          Differences from all data are tinted; hatched crossings are hidden from that viewer. Totals count visible rows only.
        </span>
      </div>
    </>
  );
}
