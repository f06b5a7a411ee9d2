import { useQuery } from "@tanstack/react-query";
import { Checkbox, Pagination } from "antd";
import { Fragment, useState } from "react";
import { Link } from "react-router-dom";
import { queries } from "../../api/queries";
import { count, plural, rowValue } from "../../ui/figures";
import { Notice } from "../../ui/Notice";
import { Scroll } from "../../ui/Scroll";
import type { Editing, Part } from "../../ui/sentences/sentence";

const PAGE = 50;

/** The table of entitlements itself, each line with whom it names and what it opens. */
export function EntitlementLinesView({ editing, sentence }: { editing: Editing; sentence: Part<"entitlement"> }) {
  const [faulty, setFaulty] = useState(false);
  const [page, setPage] = useState(1);
  const ready = sentence.through !== "" && sentence.person !== "" && Object.keys(sentence.match).length > 0;
  const body = { model: editing.model.document.name, sentence, limit: PAGE, offset: (page - 1) * PAGE, faulty_only: faulty };
  const lines = useQuery({ ...queries.entitlementLines(body), enabled: ready });
  if (!ready)
    return <p className="soft small">When the person and one matching column are chosen, every line stands here with what it opens.</p>;
  if (lines.isError) return <Notice kind="careful">{lines.error.message}</Notice>;
  const answer = lines.data;
  if (!answer) return <p className="soft small">Reading the lines…</p>;
  return (
    <section aria-label={`What ${sentence.through} opens`}>
      <div className="row wrap small">
        <b>{sentence.through}</b>
        <span className="soft">
          {plural(answer.total, "line")}, {count(answer.open)} open something,{" "}
          {answer.faulty > 0 ? <span className="warn">{count(answer.faulty)} look wrong</span> : "none looks wrong"}
        </span>
        {answer.read < answer.total && <span className="soft">of the first {count(answer.read)}</span>}
        <span className="grow" />
        {answer.faulty > 0 && (
          <Checkbox
            checked={faulty}
            onChange={(event) => {
              setFaulty(event.target.checked);
              setPage(1);
            }}
          >
            only those
          </Checkbox>
        )}
        <Link to={`/models/table/${encodeURIComponent(sentence.through)}`}>edit the lines</Link>
      </div>
      <Scroll label={`Lines of ${sentence.through}`} className="scroll lines-effect">
        <table className="data">
          <thead>
            <tr>
              {answer.columns.map((column) => (
                <th key={column}>{column}</th>
              ))}
              <th>names</th>
              <th className="number">opens</th>
            </tr>
          </thead>
          <tbody>
            {answer.lines.map((line) => (
              <Fragment key={line.line}>
                <tr className={`${line.in_force ? "" : "not-in-force"} ${line.faults.length > 0 ? "with-fault" : ""}`}>
                  {answer.columns.map((column, index) => (
                    <td key={column}>{line.values[index] === null ? <span className="soft">blank</span> : rowValue(line.values[index])}</td>
                  ))}
                  <td title={line.people.join(", ")}>
                    {line.named === 0 && <span className="soft">nobody</span>}
                    {line.named > 0 &&
                      (line.named === 1
                        ? line.people[0]
                        : `${line.people.slice(0, 2).join(", ")}${line.named > 2 ? ` and ${line.named - 2} more` : ""}`)}
                  </td>
                  <td className="number nowrap">{line.in_force ? count(line.rows) : "not in force"}</td>
                </tr>
                {line.faults.length > 0 && (
                  <tr className="fault">
                    <td colSpan={answer.columns.length + 2}>
                      <span className="warn small">{line.faults.join(" ")}</span>
                    </td>
                  </tr>
                )}
              </Fragment>
            ))}
          </tbody>
        </table>
      </Scroll>
      {answer.lines.length === 0 && (
        <p className="soft small">{faulty ? "No line looks wrong." : "The table has no lines: nobody is listed, so nobody sees a row."}</p>
      )}
      {(faulty ? answer.faulty : answer.read) > PAGE && (
        <Pagination
          size="small"
          current={page}
          pageSize={PAGE}
          showSizeChanger={false}
          total={faulty ? answer.faulty : answer.read}
          onChange={setPage}
        />
      )}
    </section>
  );
}
