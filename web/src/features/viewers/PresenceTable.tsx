import { Checkbox } from "antd";
import type { ReactNode } from "react";
import { marked, type Subject } from "../../state/asking";
import { useWorkbench } from "../../state/workbench";
import { Letter } from "../../ui/Letter";
import { Scroll } from "../../ui/Scroll";

/** One thing that is there for a viewer or not; a number where it is there in part. */
export type Presence = {
  key: string;
  title: ReactNode;
  indent?: number;
  subject: Subject | null;
  there: (boolean | number | null)[];
  all?: number | null;
};

type Props = {
  label: string;
  what: string;
  lines: Presence[];
  differing: boolean;
  setDiffering: (differing: boolean) => void;
  busy: boolean;
  empty: string;
};

/** Things against viewers: what is there for whom. Where they differ is tinted, and said in words on pointing. */
export function PresenceTable({ label, what, lines, differing, setDiffering, busy, empty }: Props) {
  const bench = useWorkbench();
  const parts = (line: Presence) => new Set([...line.there, ...(line.all === undefined ? [] : [line.all])].map(String)).size > 1;
  const shown = differing ? lines.filter(parts) : lines;
  return (
    <>
      <div className="row asked">
        <Checkbox checked={differing} onChange={(event) => setDiffering(event.target.checked)}>
          only where they differ
        </Checkbox>
        <span className="soft small">
          {shown.length.toLocaleString("en-GB")} of {lines.length.toLocaleString("en-GB")}
        </span>
      </div>
      <Scroll label={label} busy={busy}>
        <table className="data presence" data-testid="presence">
          <thead>
            <tr>
              <th>{what}</th>
              {lines[0]?.all !== undefined && (
                <th className="number">
                  <Letter place={0} little /> all data
                </th>
              )}
              {bench.pins.map((pin, index) => (
                <th key={pin.key} title={pin.detail}>
                  <Letter place={index + 1} little /> {pin.title}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {shown.slice(0, 600).map((line) => (
              <tr key={line.key}>
                <td style={{ paddingLeft: 8 + (line.indent ?? 0) * 16 }} {...marked(line.subject)}>
                  {line.title}
                </td>
                {line.all !== undefined && <td className="number">{line.all === null ? "" : line.all.toLocaleString("en-GB")}</td>}
                {line.there.map((there, index) => {
                  const pin = bench.pins[index];
                  const gone = there === false || there === null || there === 0;
                  const differs = parts(line);
                  const words = gone ? "absent" : typeof there === "number" ? there.toLocaleString("en-GB") : "there";
                  return (
                    <td
                      key={pin?.key ?? index}
                      className={`${gone ? "hid" : differs ? "differs" : ""} ${typeof there === "number" ? "number" : ""}`}
                      title={`${pin?.title ?? ""}: ${words}`}
                      {...marked(line.subject, "why", index + 1)}
                    >
                      {gone ? <span className="visually-hidden">absent</span> : typeof there === "number" ? words : "✓"}
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
        {shown.length === 0 && !busy && <p className="pad soft">{differing && lines.length > 0 ? "They do not differ here." : empty}</p>}
        {shown.length > 600 && <p className="pad soft small">The first 600.</p>}
      </Scroll>
    </>
  );
}
