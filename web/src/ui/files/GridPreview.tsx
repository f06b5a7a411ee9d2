import { Select } from "antd";
import { Notice } from "../Notice";
import { Scroll } from "../Scroll";
import type { Grid, Reading } from "./sources";
import "./files.css";

const ENCODINGS = [
  { value: "utf-8", label: "UTF-8" },
  { value: "windows-1252", label: "Windows-1252" },
  { value: "utf-16", label: "UTF-16" },
];
const DELIMITERS = [
  { value: ",", label: "comma ," },
  { value: ";", label: "semicolon ;" },
  { value: "\t", label: "tabulator" },
  { value: "|", label: "bar |" },
];

/** The letters by which people name columns of a sheet: A, B, … Z, AA. */
export function columnLetter(index: number): string {
  const high = Math.floor(index / 26);
  return (high > 0 ? columnLetter(high - 1) : "") + String.fromCharCode(65 + (index % 26));
}

/** A file's first rows as they stand; a click on a row makes it the header. */
export function GridPreview({ grid, busy, read }: { grid: Grid; busy: boolean; read: (reading: Reading, headerChosen: boolean) => void }) {
  const { reading } = grid;
  const width = grid.rows[0]?.length ?? 0;
  const shown = Math.min(width, 60);
  return (
    <div className="grid-preview">
      <div className="row wrap below-8">
        {reading.format === "xlsx" && grid.sheets.length > 0 && (
          <>
            <span className="soft">sheet</span>
            <Select
              aria-label="Sheet"
              className="least-140"
              value={reading.sheet ?? grid.sheets[0]}
              options={grid.sheets.map((sheet) => ({ value: sheet, label: sheet }))}
              onChange={(sheet) => read({ ...reading, sheet }, false)}
            />
          </>
        )}
        {reading.format === "csv" && (
          <>
            <span className="soft">letters</span>
            <Select
              aria-label="Encoding"
              className="wide-130"
              value={reading.encoding}
              options={ENCODINGS}
              onChange={(encoding) => read({ ...reading, encoding }, false)}
            />
            <span className="soft">cells parted by</span>
            <Select
              aria-label="Delimiter"
              className="wide-120"
              value={reading.delimiter}
              options={DELIMITERS}
              onChange={(delimiter) => read({ ...reading, delimiter }, false)}
            />
          </>
        )}
        {reading.format === "parquet" && <span className="soft">Parquet tells its own names and types.</span>}
        {reading.format !== "parquet" && !grid.refused && (
          <span className="soft small">
            Header in row <b>{reading.header_row ?? 1}</b>; click a row to choose another. Rows above it are left out.
          </span>
        )}
        {busy && <span className="soft small">reading…</span>}
      </div>
      {grid.refused && <Notice kind="bad">{grid.refused.message}</Notice>}
      {grid.problems.map((problem) => (
        <Notice key={problem.message} kind="careful">
          {problem.message[0]?.toUpperCase() + problem.message.slice(1)}
        </Notice>
      ))}
      {grid.rows.length > 0 && (
        <Scroll label="First rows of the file" className="scroll low-330 edged">
          <table className="data sheet" data-testid="grid">
            <thead>
              <tr>
                <th>row</th>
                {Array.from({ length: shown }, (_, index) => (
                  <th key={columnLetter(index)}>{columnLetter(index)}</th>
                ))}
              </tr>
            </thead>
            <tbody>
              {grid.rows.map((row, index) => {
                const number = index + 1;
                const header = number === (reading.header_row ?? 1);
                const above = number < (reading.header_row ?? 1);
                return (
                  <tr key={number} className={header ? "header" : above ? "above" : ""}>
                    <td>
                      {reading.format === "parquet" ? (
                        number === 1 ? (
                          "names"
                        ) : (
                          number - 1
                        )
                      ) : (
                        <button
                          type="button"
                          className="textlink"
                          aria-pressed={header}
                          title={header ? "The header" : "Make this the header"}
                          onClick={() => read({ ...reading, header_row: number }, true)}
                        >
                          {header ? `${number} header` : number}
                        </button>
                      )}
                    </td>
                    {row.slice(0, shown).map((cell, place) => (
                      <td key={columnLetter(place)} title={cell}>
                        {cell}
                      </td>
                    ))}
                  </tr>
                );
              })}
            </tbody>
          </table>
        </Scroll>
      )}
      {width > shown && (
        <p className="soft small">
          and {width - shown} more columns, {width} in all
        </p>
      )}
    </div>
  );
}
