import { useQuery } from "@tanstack/react-query";
import { Checkbox, Input, Pagination, Radio } from "antd";
import { useState } from "react";
import { NavLink, useNavigate } from "react-router-dom";
import type { Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { useWorkbench } from "../../state/workbench";
import { plural } from "../../ui/figures";
import { Notice } from "../../ui/Notice";
import { Scroll } from "../../ui/Scroll";
import type { RoleEdits } from "../../ui/unsavedEdits";
import { useEditedRoles } from "./UnsavedRoles";

const PAGE = 100;
type By = Schemas["HoldersGridRequest"]["by"];

/** People, groups or roles against pages, with what unsaved edits would open and close. */
export function PagesGrid({ by, edits, labels }: { by: By; edits: RoleEdits; labels: Map<string, string> }) {
  const bench = useWorkbench();
  const navigate = useNavigate();
  const { edited } = useEditedRoles(edits);
  const [search, setSearch] = useState("");
  const [changed, setChanged] = useState(false);
  const [page, setPage] = useState(1);
  const unsaved = bench.state === "draft" ? edited : [];
  const body = {
    by,
    state: bench.state,
    as_of: bench.day,
    edited: unsaved,
    search,
    changed_only: changed && unsaved.length > 0,
    limit: PAGE,
    offset: (page - 1) * PAGE,
  };
  const grid = useQuery(queries.pagesGrid(body));
  if (grid.isError) return <Notice kind="bad">{grid.error.message}</Notice>;
  const answer = grid.data;
  return (
    <>
      <div className="row wrap below-8">
        <Radio.Group
          size="small"
          aria-label="Against"
          value={by}
          onChange={(event) => {
            setPage(1);
            navigate(`/pages/grid/${String(event.target.value)}`);
          }}
        >
          <Radio.Button value="people">people</Radio.Button>
          <Radio.Button value="groups">groups</Radio.Button>
          <Radio.Button value="roles">roles</Radio.Button>
        </Radio.Group>
        <Input
          size="small"
          allowClear
          aria-label="Search"
          placeholder={`Search ${by}`}
          className="wide-200"
          value={search}
          onChange={(event) => {
            setSearch(event.target.value);
            setPage(1);
          }}
        />
        {unsaved.length > 0 && (
          <Checkbox checked={changed} onChange={(event) => setChanged(event.target.checked)}>
            only what the edits change ({answer?.changed ?? 0})
          </Checkbox>
        )}
        <span className="grow" />
        <span className="soft small">
          {by === "groups"
            ? "somebody who is only in that group"
            : by === "roles"
              ? "somebody who holds only that role"
              : answer && plural(answer.total, "person", "people")}
        </span>
      </div>
      {answer && (
        <Scroll label="Who opens which page" className="pages-grid">
          <table className="data">
            <thead>
              <tr>
                <th>{by}</th>
                {answer.pages.map((name) => (
                  <th key={name} className="slanted">
                    <NavLink to={`/pages/${encodeURIComponent(name)}`} title={labels.get(name) ?? name}>
                      {labels.get(name) ?? name}
                    </NavLink>
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {answer.lines.map((line) => (
                <tr key={line.name}>
                  <td className="nowrap">
                    {line.label} {line.label !== line.name && <span className="soft small">{line.name}</span>}
                  </td>
                  {answer.pages.map((name) => (
                    <Crossing key={name} before={line.before.includes(name)} after={line.after.includes(name)} />
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
          {answer.lines.length === 0 && <p className="soft">Nobody matches.</p>}
        </Scroll>
      )}
      {answer && answer.total > PAGE && (
        <Pagination size="small" current={page} pageSize={PAGE} total={answer.total} showSizeChanger={false} onChange={setPage} />
      )}
    </>
  );
}

function Crossing({ before, after }: { before: boolean; after: boolean }) {
  const words = before === after ? (after ? "opens" : "does not open") : after ? "would open with the edit" : "would be closed by the edit";
  return (
    <td className={`crossing ${after ? "" : "hid"} ${before === after ? "" : after ? "gained" : "lost"}`} title={words}>
      <span className={after ? "opens" : ""} aria-hidden="true">
        {before !== after ? (after ? "+" : "−") : after ? "" : ""}
      </span>
      <span className="visually-hidden">{words}</span>
    </td>
  );
}
