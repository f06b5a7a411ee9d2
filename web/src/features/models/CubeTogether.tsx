import { useQuery } from "@tanstack/react-query";
import type { PinnedViewer, Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { useWorkbench } from "../../state/workbench";
import { shownValue } from "../../ui/figures";
import { columnHeading } from "../../ui/fullNames";
import { Letter } from "../../ui/Letter";
import { Notice } from "../../ui/Notice";
import { Scroll } from "../../ui/Scroll";

type Props = { question: Schemas["TotalsQuestion"]; level: string; format: string | null };

/** One level of a cube for all the data and every pinned viewer, the same lines aligned: differences marked, hidden ones hatched. */
export function CubeTogether({ question, level, format }: Props) {
  const bench = useWorkbench();
  const seen: { title: string; viewer: PinnedViewer }[] = [
    { title: "all data", viewer: { all_data: true } },
    ...bench.pins.map((pin) => ({ title: pin.title, viewer: pin.viewer })),
  ];
  const asked = useQuery(
    queries.evaluated({ state: bench.state, as_of: bench.day, viewers: seen.map((item) => item.viewer), ask: [{ totals: question }] }),
  );
  if (asked.isError) return <Notice kind="bad">{asked.error.message}</Notice>;
  const answers = (asked.data?.viewers ?? []).map((entry) => {
    const found = entry.answers[0];
    return found && "lines" in found && found.not_found.length === 0 ? found : null;
  });
  const keys = [
    ...new Map(answers.flatMap((answer) => (answer?.lines ?? []).map((line) => [JSON.stringify(line.key[0]), line.key[0]]))).entries(),
  ];
  const value = (answer: Schemas["TotalsAnswer"] | null | undefined, key: string) =>
    answer?.lines.find((line) => JSON.stringify(line.key[0]) === key)?.values[0];
  return (
    <Scroll label="The cube for every viewer" busy={asked.isFetching} className="scroll fill no-least-tall">
      <table className="data cube" data-testid="cube-together">
        <thead>
          <tr>
            <th>{columnHeading(level)}</th>
            {seen.map((item, place) => (
              <th key={item.title} className="number">
                <Letter place={place} little /> {item.title}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {keys.map(([key, shown]) => (
            <tr key={key}>
              <td>{shown === null ? "blank" : String(shown)}</td>
              {seen.map((item, place) => (
                <Crossing key={item.title} value={value(answers[place], key)} whole={value(answers[0], key)} format={format} />
              ))}
            </tr>
          ))}
          <tr className="total">
            <td>total</td>
            {seen.map((item, place) => (
              <Crossing key={item.title} value={answers[place]?.total[0]} whole={answers[0]?.total[0]} format={format} />
            ))}
          </tr>
        </tbody>
      </table>
      <p className="soft small pad">What differs from all data is tinted and has a ≠; hatched crossings are hidden from that viewer.</p>
    </Scroll>
  );
}

function Crossing({ value, whole, format }: { value: unknown; whole: unknown; format: string | null }) {
  if (value === undefined || value === null) {
    return (
      <td className="number hid">
        <span className="visually-hidden">withheld</span>
      </td>
    );
  }
  return <td className={`number ${value === whole ? "" : "differs"}`}>{shownValue(value, format)}</td>;
}
