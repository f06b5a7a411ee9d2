import { useQuery } from "@tanstack/react-query";
import { Button } from "antd";
import { useNavigate, useParams } from "react-router-dom";
import type { Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { useWorkbench } from "../../state/workbench";
import { Empty, Notice } from "../../ui/Notice";
import { SaveAs } from "../../ui/SaveAs";
import "./statement.css";

type Line = Schemas["StatementLine"];

/** What a person may see, or who may see a table or page: by which role and sentence, since when; made to be printed. */
export default function StatementScreen() {
  const { of = "", name = "", table } = useParams();
  const bench = useWorkbench();
  const navigate = useNavigate();
  const about = of === "person" ? { person: name } : of === "page" ? { page: name } : { model: name, table: table ?? "" };
  const request = { state: bench.state, as_of: bench.day, about };
  const found = useQuery(queries.statement(request));
  const told = found.data;
  return (
    <div className="pad statement">
      <div className="row below-8 not-printed">
        <Button size="small" onClick={() => navigate(-1)}>
          ‹ Back
        </Button>
        <span className="grow" />
        <Button onClick={() => window.print()}>Print</Button>
        <SaveAs address="/api/statement/export" body={request} name="statement" />
      </div>
      {found.isError && <Notice kind="bad">{found.error.message}</Notice>}
      {found.isPending && <p className="soft">Writing the statement…</p>}
      {told && (
        <>
          <h2>{told.title}</h2>
          <p className="soft below-8">
            As of {told.as_of}, {bench.state === "draft" ? "by the draft" : "by the live release"}.
          </p>
          {told.lines.length === 0 ? (
            <Empty title="Nothing">
              <p>No role opens anything here on that day.</p>
            </Empty>
          ) : (
            <Lines lines={told.lines} alone={of === "person"} />
          )}
          {told.limits.length > 0 && (
            <>
              <h3>Narrowed by</h3>
              <Lines lines={told.limits} alone={of === "person"} />
            </>
          )}
        </>
      )}
    </div>
  );
}

function Lines({ lines, alone }: { lines: Line[]; alone: boolean }) {
  return (
    <table className="data" data-testid="statement">
      <thead>
        <tr>
          {!alone && <th>person</th>}
          <th>{alone ? "of" : "sees"}</th>
          <th>by</th>
          <th>which says that it</th>
          <th>held</th>
          <th>since</th>
        </tr>
      </thead>
      <tbody>
        {lines.slice(0, 2000).map((line, index) => (
          <tr key={index}>
            {!alone && (
              <td>
                {line.name} <span className="soft small">{line.login}</span>
              </td>
            )}
            <td className="wraps">
              {alone && <b>{line.subject}</b>} {line.sees}
            </td>
            <td>{line.label}</td>
            <td className="wraps">{line.words.join("; ")}</td>
            <td className="wraps">{line.held_by.join("; ")}</td>
            <td>
              {line.since ?? "always"}
              {line.until && ` until ${line.until}`}
            </td>
          </tr>
        ))}
      </tbody>
      {lines.length > 2000 && (
        <caption className="soft small">The first 2,000 of {lines.length.toLocaleString("en-GB")}; save the file for all.</caption>
      )}
    </table>
  );
}
