import { Button, Checkbox, Input, Select } from "antd";
import { useState } from "react";
import { count, plural } from "../../ui/figures";
import { type ColumnChoice, faultOf, PERSONAL, type TableChoice } from "../../ui/files/sources";
import { Notice } from "../../ui/Notice";
import { Scroll } from "../../ui/Scroll";

/** So many columns are drawn at first. */
const MOST = 50;
const TYPES = ["text", "integer", "number", "boolean", "date", "timestamp"].map((type) => ({ value: type, label: type }));
const DAYS = [
  { value: "plain", label: "as written" },
  { value: "day_first", label: "day first" },
  { value: "month_first", label: "month first" },
];
const NUMBERS = [
  { value: "plain", label: "decimal point" },
  { value: "decimal_comma", label: "decimal comma" },
];

function spellings(type: string) {
  if (type === "date" || type === "timestamp") return DAYS;
  return type === "number" ? NUMBERS : null;
}

/** Tables as proposed, each column with its evidence, to be confirmed or corrected. */
export function TablesStep({
  tables,
  present,
  change,
}: {
  tables: TableChoice[];
  present: string[];
  change: (index: number, table: TableChoice) => void;
}) {
  const [at, setAt] = useState(0);
  const [search, setSearch] = useState("");
  const [most, setMost] = useState(MOST);
  const index = Math.min(at, tables.length - 1);
  const table = tables[index];
  if (!table) return null;
  const fault = faultOf(table, tables, present);
  const put = (place: number, part: Partial<ColumnChoice>) => {
    const before = table.columns[place];
    const columns = table.columns.map((column, other) => (other === place ? { ...column, ...part } : column));
    const renamed = part.name !== undefined && before?.name === table.key ? part.name : table.key;
    change(index, { ...table, key: part.take === false && before?.name === table.key ? null : renamed, columns });
  };
  const wanted = search.trim().toLowerCase();
  const found = table.columns
    .map((column, place) => ({ column, place }))
    .filter(({ column }) => wanted === "" || `${column.name} ${column.proposed.header}`.toLowerCase().includes(wanted));
  const doubts = table.columns.filter((column) => column.take && (column.proposed.doubts ?? []).length > 0).length;
  return (
    <div className="bring-tables">
      <nav aria-label="Tables">
        {tables.map((item, place) => {
          const wrong = faultOf(item, tables, present);
          return (
            <button
              type="button"
              key={item.source.key}
              className={`tree-line ${place === index ? "on" : ""}`}
              aria-pressed={place === index}
              onClick={() => setAt(place)}
            >
              <span className="cut">{item.name || "(no name)"}</span>
              <span className={`n ${wrong ? "warn" : ""}`}>{wrong ? "!" : item.columns.filter((column) => column.take).length}</span>
            </button>
          );
        })}
      </nav>
      <div className="bring-look">
        <div className="row wrap fields">
          <label htmlFor="table-name">Table</label>
          <Input
            id="table-name"
            className="mono wide-180"
            value={table.name}
            onChange={(event) => change(index, { ...table, name: event.target.value })}
          />
          <label htmlFor="table-label">Label</label>
          <Input
            id="table-label"
            className="wide-180"
            value={table.label}
            onChange={(event) => change(index, { ...table, label: event.target.value })}
          />
          <label htmlFor="table-key">Key</label>
          <Select
            id="table-key"
            aria-label="Key"
            allowClear
            className="least-150"
            placeholder="no key"
            value={table.key}
            onChange={(key) => change(index, { ...table, key: key ?? null })}
            options={table.columns
              .filter((column) => column.take)
              .map((column) => ({
                value: column.name,
                label: column.name,
                disabled: !(column.proposed.unique && column.proposed.blank === 0),
                title: column.proposed.unique && column.proposed.blank === 0 ? "" : "not unique, or blank somewhere",
              }))}
          />
          <span className="soft small cut grow" title={table.keyEvidence}>
            {table.keyEvidence}
          </span>
        </div>
        <p className="soft small">
          {table.source.name} · {plural(table.rows, "row")} looked at{table.whole ? "" : " (the import reads all)"}
          {doubts > 0 && ` · ${plural(doubts, "column")} to look at`}{" "}
          {table.columns.length > 20 && (
            <Input
              allowClear
              size="small"
              aria-label="Search columns"
              placeholder="search columns"
              className="wide-160 after-8"
              value={search}
              onChange={(event) => setSearch(event.target.value)}
            />
          )}
        </p>
        {fault && <Notice kind="bad">{fault}</Notice>}
        <Scroll label="Columns" className="scroll fill no-least-tall">
          <table className="data columns" data-testid="confirm-columns">
            <thead>
              <tr>
                <th>take</th>
                <th>name · header in the file</th>
                <th>type</th>
                <th>evidence and first values</th>
                <th className="number">distinct</th>
                <th className="number">blank</th>
                <th>personal</th>
              </tr>
            </thead>
            <tbody>
              {found.slice(0, most).map(({ column, place }) => {
                const choices = spellings(column.type);
                const { proposed } = column;
                return (
                  <tr key={proposed.position} className={column.take ? "" : "left-out"}>
                    <td>
                      <Checkbox
                        aria-label={`Take ${proposed.header || column.name}`}
                        checked={column.take}
                        disabled={proposed.unusable}
                        onChange={(event) => put(place, { take: event.target.checked })}
                      />
                    </td>
                    <td>
                      <Input
                        size="small"
                        className="mono wide-140"
                        aria-label={`Name of ${proposed.header || column.name}`}
                        value={column.name}
                        disabled={!column.take}
                        onChange={(event) => put(place, { name: event.target.value })}
                      />
                      <div className="soft small cut most-140" title={proposed.header}>
                        {proposed.header || "(none)"}
                      </div>
                    </td>
                    <td>
                      <Select
                        size="small"
                        aria-label={`Type of ${column.name}`}
                        className="wide-104"
                        value={column.type}
                        disabled={!column.take}
                        options={TYPES}
                        onChange={(type) =>
                          put(place, { type, spelling: type === proposed.type ? (proposed.spelling ?? "plain") : "plain" })
                        }
                      />
                      {choices && (
                        <Select
                          size="small"
                          aria-label={`Spelling of ${column.name}`}
                          className="wide-122 after-4"
                          value={column.spelling}
                          disabled={!column.take}
                          options={choices}
                          onChange={(spelling) => put(place, { spelling })}
                        />
                      )}
                    </td>
                    <td className="evidence">
                      {column.type === proposed.type ? (
                        proposed.evidence
                      ) : (
                        <span className="warn">corrected by you; {proposed.evidence}</span>
                      )}
                      {(proposed.doubts ?? []).map((doubt) => (
                        <div key={doubt} className="doubt small">
                          {doubt}
                        </div>
                      ))}
                      {column.take && (column.blanks.length > 0 || (proposed.doubts ?? []).length > 0) && (
                        <Select
                          mode="tags"
                          size="small"
                          aria-label={`Words of ${column.name} read as blank`}
                          placeholder="words read as blank"
                          className="least-180"
                          value={column.blanks}
                          onChange={(blanks) => put(place, { blanks })}
                        />
                      )}
                      <div className="soft small cut samples">{(proposed.samples ?? []).map(String).join(" · ")}</div>
                    </td>
                    <td className="number">{count(proposed.distinct)}</td>
                    <td className="number">{count(proposed.blank)}</td>
                    <td>
                      <Checkbox
                        aria-label={`${column.name} is personal`}
                        checked={column.tags.includes(PERSONAL)}
                        disabled={!column.take}
                        onChange={(event) =>
                          put(place, {
                            tags: event.target.checked ? [...column.tags, PERSONAL] : column.tags.filter((tag) => tag !== PERSONAL),
                          })
                        }
                      />{" "}
                      <span className="small soft wrapped">{proposed.sensitive}</span>
                    </td>
                  </tr>
                );
              })}
            </tbody>
          </table>
          {found.length > most && (
            <p className="pad">
              <Button size="small" onClick={() => setMost(most + MOST)}>
                Show {Math.min(MOST, found.length - most)} more of {found.length - most}
              </Button>
            </p>
          )}
        </Scroll>
      </div>
    </div>
  );
}
