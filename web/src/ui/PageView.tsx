import { useMemo } from "react";
import type { Schemas } from "../api/client";
import { Chart } from "./Chart";
import { shownValue } from "./figures";
import { Scroll } from "./Scroll";
import "./page-view.css";

type Page = Schemas["PageAnswer"];
type Entry = Schemas["ExhibitAnswer"];

/** A page with its exhibits, as the server answered them for one viewer. */
export function PageView({ page, narrow = false }: { page: Page; narrow?: boolean }) {
  const figures = page.exhibits.filter((entry) => entry.exhibit.kind === "figure");
  const others = page.exhibits.filter((entry) => entry.exhibit.kind !== "figure");
  return (
    <div data-testid="page" className={narrow ? "narrow" : ""}>
      {figures.length > 0 && (
        <div className="figures">
          {figures.map((entry, index) => (
            <Framed key={index} entry={entry} measures={page.measures} />
          ))}
        </div>
      )}
      <div className="exhibits">
        {others.map((entry, index) => (
          <Framed key={index} entry={entry} measures={page.measures} />
        ))}
      </div>
      {page.exhibits.length === 0 && <p className="soft">This page has no exhibits yet.</p>}
    </div>
  );
}

function Framed({ entry, measures }: { entry: Entry; measures: Page["measures"] }) {
  return (
    <section
      className={`exhibit as-${entry.exhibit.kind} ${entry.rows || entry.totals ? "" : "unavailable"}`}
      aria-label={entry.exhibit.title}
    >
      <h3>{entry.exhibit.title}</h3>
      <Exhibit entry={entry} measures={measures} />
    </section>
  );
}

function Exhibit({ entry, measures }: { entry: Entry; measures: Page["measures"] }) {
  if (entry.rows) return <Rows rows={entry.rows} />;
  if (!entry.totals) return <p className="soft">This exhibit is not available.</p>;
  const { totals, exhibit } = entry;
  if (exhibit.kind === "figure") {
    return (
      <>
        {totals.measures.map((name, index) => (
          <p key={name} className="amount" data-testid={`figure-${name}`}>
            <Amount value={totals.total[index]} format={measures[name]?.format ?? null} />
          </p>
        ))}
      </>
    );
  }
  if (totals.lines.length === 0) return <p className="soft">No rows to show.</p>;
  if (exhibit.kind === "two_way") return <TwoWay totals={totals} format={measures[totals.measures[0] ?? ""]?.format ?? null} />;
  return <Bars totals={totals} kind={exhibit.kind === "line" ? "line" : "bar"} measures={measures} title={exhibit.title} />;
}

function Amount({ value, format }: { value: unknown; format: string | null }) {
  if (value === null || value === undefined) return "–";
  return (
    <>
      {shownValue(value, format)} {format && format !== "%" && <small>{format}</small>}
    </>
  );
}

function Bars({
  totals,
  kind,
  measures,
  title,
}: {
  totals: Schemas["TotalsAnswer"];
  kind: "bar" | "line";
  measures: Page["measures"];
  title: string;
}) {
  const keys = useMemo(() => totals.lines.map((line) => line.key.map((part) => shownKey(part)).join(" · ")), [totals]);
  const series = useMemo(
    () =>
      totals.measures.map((name, index) => ({
        name: measures[name]?.label ?? name,
        format: measures[name]?.format ?? null,
        values: totals.lines.map((line) => line.values[index] as number | null),
      })),
    [totals, measures],
  );
  return <Chart kind={kind} keys={keys} series={series} title={title} />;
}

export function shownKey(part: unknown): string {
  return part === null || part === undefined ? "(blank)" : String(part);
}

function TwoWay({ totals, format }: { totals: Schemas["TotalsAnswer"]; format: string | null }) {
  const across = [...new Set(totals.lines.map((line) => shownKey(line.key[1])))].sort();
  const down = [...new Set(totals.lines.map((line) => shownKey(line.key[0])))];
  const cells = new Map(totals.lines.map((line) => [`${shownKey(line.key[0])}\n${shownKey(line.key[1])}`, line.values[0]]));
  return (
    <Scroll label="Table">
      <table className="data">
        <thead>
          <tr>
            <th>{totals.by[0]?.split(".")[1]}</th>
            {across.map((name) => (
              <th key={name} className="number">
                {name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {down.map((name) => (
            <tr key={name}>
              <td>{name}</td>
              {across.map((other) => (
                <td key={other} className="number">
                  {shownValue(cells.get(`${name}\n${other}`), format)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </Scroll>
  );
}

function Rows({ rows }: { rows: Schemas["RowsAnswer"] }) {
  const numeric = rows.columns.map((_, index) => rows.rows.some((row) => typeof row[index] === "number"));
  return (
    <Scroll label="Rows">
      <table className="data">
        <thead>
          <tr>
            {rows.columns.map((column, index) => (
              <th key={column} className={numeric[index] ? "number" : ""}>
                {(column.split(".")[1] ?? column).replaceAll("_", " ")}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.rows.map((row, place) => (
            <tr key={place}>
              {row.map((value, index) => (
                <td key={rows.columns[index]} className={numeric[index] ? "number" : ""}>
                  {shownValue(value)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      {rows.rows.length === 0 && <p className="soft">No rows to show.</p>}
      {rows.visible > rows.rows.length && (
        <p className="soft small">
          The first {rows.rows.length} of {rows.visible.toLocaleString("en-GB")} rows.
        </p>
      )}
    </Scroll>
  );
}
