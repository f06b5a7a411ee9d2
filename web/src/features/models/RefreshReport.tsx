import { useMutation } from "@tanstack/react-query";
import { App, Button, Popconfirm } from "antd";
import { api, data, type Schemas } from "../../api/client";
import { useChanged } from "../../api/queries";
import { count, plural } from "../../ui/figures";
import { Impact } from "../../ui/Impact";
import { alike } from "../../ui/impactLines";
import { Notice } from "../../ui/Notice";

type Staged = Schemas["StagedContent"];

function Values({ moved, word }: { moved: Schemas["ValuesMoved"]; word: string }) {
  if (moved.values === 0) return <span className="soft">none {word}</span>;
  return (
    <span>
      <b>{count(moved.values)}</b> {word} <span className="soft">({plural(moved.rows, "row")})</span>: {moved.samples.join(", ")}
      {moved.values > moved.samples.length && " …"}
    </span>
  );
}

/** What a staged refresh would change; it is accepted, or dropped, and until then nobody sees it. */
export function RefreshReport({ staged }: { staged: Staged }) {
  const changed = useChanged();
  const { message } = App.useApp();
  const { report } = staged;
  const path = { key: staged.id };
  const accept = useMutation({
    mutationFn: () => data(api.POST("/api/refreshes/{key}", { params: { path } })),
    onSuccess: async () => {
      await changed("models", "data");
      message.success(`${staged.table} now holds what was in ${staged.source}.`);
    },
    onError: () => changed("data"),
  });
  const drop = useMutation({
    mutationFn: () => data(api.DELETE("/api/refreshes/{key}", { params: { path } })),
    onSuccess: async () => {
      await changed("data");
      message.success("Dropped. Nothing was changed.");
    },
  });
  const error = accept.error ?? drop.error;
  const worse = report.relationships.filter((item) => item.after.unmatched > item.before.unmatched);
  return (
    <article className="refresh" data-testid="refresh">
      <div className="row wrap">
        <h2>
          {staged.table} <span className="soft">from {staged.source}</span>
        </h2>
        <span className="soft small">
          staged {new Date(staged.at).toLocaleString("en-GB")} {staged.by && `by ${staged.by}`}
        </span>
        <span className="grow" />
        <Popconfirm title="Drop this refresh?" okText="Drop" onConfirm={() => drop.mutate()}>
          <Button loading={drop.isPending}>Drop</Button>
        </Popconfirm>
        <Button type="primary" loading={accept.isPending} onClick={() => accept.mutate()}>
          Accept, act at once
        </Button>
      </div>
      {error && <Notice kind="bad">{error.message}</Notice>}
      {report.same && <Notice>The content is the same as what is there.</Notice>}
      {report.doubts.map((doubt) => (
        <Notice key={doubt} kind="careful">
          {doubt}
        </Notice>
      ))}
      <div className="report">
        <span>Rows</span>
        <span>
          {count(report.rows_before)} → <b>{count(report.rows_after)}</b>
        </span>
        {report.keys && (
          <>
            <span>Keys</span>
            <span>
              {count(report.keys.new)} new, <span className={report.keys.lost > 0 ? "warn" : ""}>{count(report.keys.lost)} lost</span>
              {report.keys.lost > 0 && `: ${report.keys.lost_samples.join(", ")}`}
            </span>
          </>
        )}
        {report.new_columns.length > 0 && (
          <>
            <span>New columns</span>
            <span>
              {report.new_columns
                .map((column) => `${column.name} (${column.type}${column.sensitive ? `, ${column.sensitive}` : ""})`)
                .join(", ")}
              <span className="careful"> · into quarantine, hidden until cleared</span>
            </span>
          </>
        )}
        {report.lost_columns.length > 0 && (
          <>
            <span>Lost columns</span>
            <span className="warn">
              {report.lost_columns.join(", ")} · blank in every row from now on; sentences on them let nothing through
            </span>
          </>
        )}
        <span>Values</span>
        <div>
          {report.columns.length === 0 && <span className="soft">no column gained or lost a value</span>}
          {report.columns.map((column) => (
            <div key={column.column}>
              <code>{column.column}</code>
              {column.level_of.length > 0 && <span className="soft small"> members of {column.level_of.join(", ")}</span>} ·{" "}
              <Values moved={column.vanished} word="vanished" /> · <Values moved={column.new} word="new" />
              {column.blank_after !== column.blank_before && (
                <span className="soft">
                  {" "}
                  · blank {count(column.blank_before)} → {count(column.blank_after)}
                </span>
              )}
            </div>
          ))}
        </div>
        <span>Relationships</span>
        <div>
          {report.relationships.length === 0 && <span className="soft">none</span>}
          {report.relationships.map((item) => (
            <div key={`${item.after.from_table}.${item.after.from_column}`} className={worse.includes(item) ? "warn" : ""}>
              <code>
                {item.after.from_table}.{item.after.from_column} → {item.after.to_table}
              </code>
              : rows without a key {count(item.before.unmatched)} → {count(item.after.unmatched)}
            </div>
          ))}
        </div>
        <span>No longer fits</span>
        <div>
          {report.no_longer_fits.length === 0 && <span className="soft">every sentence still fits</span>}
          {report.no_longer_fits.map((item) => (
            <div key={item.path + item.message} className="warn">
              <code className="small">{item.path}</code> {item.message} <span className="soft">{item.remedy}</span>
            </div>
          ))}
        </div>
      </div>
      <h3>Who gains and who loses, {staged.compared === "live" ? "live" : "in the draft"}, if it is accepted</h3>
      {staged.compared === "draft" && <p className="soft small">Nobody sees this table yet: it is not in the live release.</p>}
      <Impact groups={alike(report.viewers)} />
      {report.people > report.viewers.length && (
        <p className="soft small">and {plural(report.people - report.viewers.length, "more person", "more people")}</p>
      )}
    </article>
  );
}
