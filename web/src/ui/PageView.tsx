import { Button, Dropdown } from "antd";
import { lazy, Suspense, useMemo, useState } from "react";
import type { Schemas } from "../api/client";
import { marked, type Subject } from "../state/asking";
import { type Key, laidOut, shownKey } from "./chartLines";
import { Figure } from "./Figure";
import { type Display, rowValue } from "./figures";
import { columnHeading } from "./fullNames";
import { Scroll } from "./Scroll";
import { TwoWay } from "./TwoWay";
import "./page-view.css";
import { isChart } from "./exhibits/exhibits";

const Chart = lazy(() => import("./Chart").then((module) => ({ default: module.Chart })));
const Treemap = lazy(() => import("./Treemap").then((module) => ({ default: module.Treemap })));
// What draws is fetched beside a page's figures, which need not wait for it; if that fails, it is fetched when it is needed.
import("./Chart").catch(() => undefined);
const DRAWN_SOON = <div className="full-tall least-tall-150 full on-its-way" />;

type Page = Schemas["PageAnswer"];
type Entry = Schemas["ExhibitAnswer"];
export type PageFilter = Schemas["PageFilter"];

/** What a reader may do on a page, where it is offered. */
export type PageActs = {
  filters: PageFilter[];
  select: (exhibit: number, column: string, value: Key[number]) => void;
  beneath: (exhibit: number, key: Key, title: string) => void;
  save?: (exhibit: number, format: "csv" | "xlsx") => void;
  /** A figure as something to ask about, where one may. */
  subject?: (exhibit: number, measure: string, key: Key) => Subject | null;
  /** The pinned viewer it is asked for. */
  as?: number;
};

type Props = { page: Page; narrow?: boolean; acts?: PageActs };

/** A page with its exhibits on a grid, as the server answered them for one viewer. */
export function PageView({ page, narrow = false, acts }: Props) {
  const placed = page.exhibits.map((entry, place) => ({ entry, place }));
  const figures = placed.filter(({ entry }) => entry.exhibit.kind === "figure");
  const others = placed.filter(({ entry }) => entry.exhibit.kind !== "figure");
  const shown = ({ entry, place }: { entry: Entry; place: number }) => (
    <Framed key={place} entry={entry} place={place} measures={page.measures} columns={page.columns} acts={acts} />
  );
  return (
    <div data-testid="page" className={narrow ? "narrow" : ""}>
      {figures.length > 0 && <div className="figures">{figures.map(shown)}</div>}
      <div className="exhibits">{others.map(shown)}</div>
      {page.exhibits.length === 0 && <p className="soft">There is nothing to show on this page.</p>}
    </div>
  );
}

type FramedProps = { entry: Entry; place: number; measures: Page["measures"]; columns?: Page["columns"]; acts?: PageActs };

export function Framed({ entry, place, measures, columns, acts }: FramedProps) {
  const { exhibit } = entry;
  const [table, setTable] = useState(false);
  const available = Boolean(entry.rows ?? entry.totals);
  const chart = isChart(exhibit.kind);
  const items = [
    ...(available && chart && acts ? [{ key: "table", label: table ? "As a chart" : "As a table", onClick: () => setTable(!table) }] : []),
    ...(available && acts && (entry.tables ?? []).length > 0 && !entry.rows
      ? [{ key: "rows", label: "Rows beneath", onClick: () => acts.beneath(place, [], exhibit.title) }]
      : []),
    ...(available && acts?.save
      ? (["csv", "xlsx"] as const).map((format) => ({
          key: format,
          label: `Save as ${format.toUpperCase()}`,
          onClick: () => acts.save?.(place, format),
        }))
      : []),
  ];
  return (
    <section
      className={`exhibit as-${exhibit.kind} ${available ? "" : "unavailable"} ${exhibit.width ? `wide-${exhibit.width}` : ""}`}
      aria-label={exhibit.title}
    >
      <div className="row exhibit-head">
        <h2 className="as-h3 cut grow">{exhibit.title}</h2>
        {(entry.narrowed ?? []).length > 0 && (
          <span className="soft small" title={`narrowed by ${(entry.narrowed ?? []).join(", ")}`}>
            narrowed
          </span>
        )}
        {items.length > 0 && (
          <Dropdown trigger={["click"]} menu={{ items }}>
            <Button size="small" type="text" aria-label={`More of ${exhibit.title}`}>
              ⋯
            </Button>
          </Dropdown>
        )}
      </div>
      <Exhibit entry={entry} place={place} measures={measures} columns={columns} acts={acts} table={table && chart} />
    </section>
  );
}

function Exhibit({ entry, place, measures, columns, acts, table }: FramedProps & { table: boolean }) {
  if (entry.rows) return <RowsTable rows={entry.rows} columns={columns} />;
  if (!entry.totals) {
    return (
      <p className="soft">
        This exhibit is not available.
        {entry.reason && <span className="small"> {entry.reason}</span>}
      </p>
    );
  }
  const { totals, exhibit } = entry;
  const listed = acts && (entry.tables ?? []).length > 0 ? acts : undefined;
  if (exhibit.kind === "figure") {
    return (
      <>
        {totals.measures.map((name, index) => (
          <p key={name} className="amount" data-testid={`figure-${name}`} {...asked(acts, place, name, [])}>
            {listed ? (
              <button type="button" className="plain" title="rows beneath" onClick={() => listed.beneath(place, [], exhibit.title)}>
                <Amount value={totals.total[index]} format={measures[name]?.format ?? null} />
              </button>
            ) : (
              <Amount value={totals.total[index]} format={measures[name]?.format ?? null} />
            )}
          </p>
        ))}
      </>
    );
  }
  if (totals.lines.length === 0) return <p className="soft">No rows to show.</p>;
  if (exhibit.kind === "two_way") {
    return (
      <TwoWay
        entry={{ ...entry, totals }}
        measures={measures}
        ask={(measure, key) => asked(acts, place, measure, key)}
        beneath={listed && ((key) => listed.beneath(place, key, `${exhibit.title}: ${key.map(shownKey).join(", ") || "all"}`))}
      />
    );
  }
  if (table && acts) return <Lines entry={entry} totals={totals} place={place} measures={measures} acts={acts} />;
  return <Bars entry={entry} totals={totals} place={place} measures={measures} acts={acts} />;
}

function asked(acts: PageActs | undefined, place: number, measure: string, key: Key): object {
  return marked(acts?.subject?.(place, measure, key) ?? null, undefined, acts?.as);
}

function Amount({ value, format }: { value: unknown; format: string | null }) {
  if (value === null || value === undefined) return "–";
  return (
    <>
      <Figure value={value} format={format} inside /> {format && format !== "%" && <small>{format}</small>}
    </>
  );
}

type BarsProps = FramedProps & { totals: Schemas["TotalsAnswer"] };

function Bars({ entry, totals, place, measures, acts }: BarsProps) {
  const { exhibit } = entry;
  const { parts, keys, series } = useMemo(() => laidOut(totals, exhibit, measures), [totals, exhibit, measures]);
  const column = totals.by[0] ?? "";
  const selected = (acts?.filters ?? [])
    .filter((item) => item.from_exhibit === place && item.column === column)
    .flatMap((item) => item.values.map(shownKey));
  if (exhibit.kind === "treemap") {
    return (
      <Suspense fallback={DRAWN_SOON}>
        <Treemap
          keys={keys}
          series={series}
          title={exhibit.title}
          coloured={Boolean(exhibit.colour)}
          by={exhibit.colour ?? undefined}
          selected={selected}
          onSelect={acts && ((index) => acts.select(place, column, parts[index] ?? null))}
        />
      </Suspense>
    );
  }
  return (
    <Suspense fallback={DRAWN_SOON}>
      <Chart
        kind={exhibit.kind === "line" ? "line" : "bar"}
        keys={keys}
        series={series}
        title={exhibit.title}
        coloured={exhibit.colour !== null && exhibit.colour !== undefined && exhibit.colour === column}
        by={exhibit.colour ?? undefined}
        selected={selected}
        onSelect={acts && ((index) => acts.select(place, column, parts[index] ?? null))}
      />
    </Suspense>
  );
}

/** The lines of a chart as a table: each can be selected, and the rows beneath each number listed, by keyboard too. */
function Lines({ entry, totals, place, measures, acts }: BarsProps & { acts: PageActs }) {
  const listed = (entry.tables ?? []).length > 0;
  return (
    <Scroll label={entry.exhibit.title}>
      <table className="data">
        <thead>
          <tr>
            {totals.by.map((name) => (
              <th key={name}>{columnHeading(name)}</th>
            ))}
            {totals.measures.map((name) => (
              <th key={name} className="number">
                {measures[name]?.label ?? name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {totals.lines.map((line) => (
            <tr key={JSON.stringify(line.key)}>
              {line.key.map((part, index) => (
                <td key={totals.by[index]}>
                  {index === 0 ? (
                    <button
                      type="button"
                      className="textlink"
                      title="narrow the other exhibits"
                      onClick={() => acts.select(place, totals.by[0] ?? "", part as Key[number])}
                    >
                      {shownKey(part)}
                    </button>
                  ) : (
                    shownKey(part)
                  )}
                </td>
              ))}
              {line.values.map((value, index) => (
                <td key={totals.measures[index]} className="number" {...asked(acts, place, totals.measures[index] ?? "", line.key as Key)}>
                  {listed ? (
                    <button
                      type="button"
                      className="plain"
                      title="rows beneath"
                      onClick={() => acts.beneath(place, line.key as Key, `${entry.exhibit.title}: ${line.key.map(shownKey).join(", ")}`)}
                    >
                      <Figure value={value} format={measures[totals.measures[index] ?? ""]?.format} inside />
                    </button>
                  ) : (
                    <Figure value={value} format={measures[totals.measures[index] ?? ""]?.format} />
                  )}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </Scroll>
  );
}

export function RowsTable({ rows, columns }: { rows: Schemas["RowsAnswer"]; columns?: Record<string, Display | null> }) {
  const numeric = rows.columns.map((_, index) => rows.rows.some((row) => typeof row[index] === "number"));
  return (
    <Scroll label="Rows">
      <table className="data">
        <thead>
          <tr>
            {rows.columns.map((column, index) => (
              <th key={column} className={numeric[index] ? "number" : ""}>
                {columnHeading(column)}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.rows.map((row, place) => (
            <tr key={place}>
              {row.map((value, index) => (
                <td key={rows.columns[index]} className={numeric[index] ? "number" : ""}>
                  {rowValue(value, columns?.[rows.columns[index] ?? ""])}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      {rows.rows.length === 0 && <p className="soft">No rows to show.</p>}
      {rows.visible > rows.rows.length && rows.rows.length > 0 && (
        <p className="soft small">
          The first {rows.rows.length} of {rows.visible.toLocaleString("en-GB")} rows.
        </p>
      )}
    </Scroll>
  );
}
