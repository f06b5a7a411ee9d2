import { useQuery } from "@tanstack/react-query";
import { Button } from "antd";
import { useState } from "react";
import { NavLink } from "react-router-dom";
import type { ModelAnswer, ModelShare } from "../../api/client";
import { queries } from "../../api/queries";
import { useWorkbench } from "../../state/workbench";
import { count } from "../../ui/figures";
import { Notice } from "../../ui/Notice";
import { RowsView } from "../../ui/RowsView";
import { dayOf } from "../../ui/when";
import { ColumnsTab } from "./ColumnsTab";
import { HierarchiesTab } from "./HierarchiesTab";
import { KeepHere } from "./KeepHere";
import { MeasuresTab } from "./MeasuresTab";
import { RefreshModal } from "./RefreshModal";
import { RelationshipsTab } from "./RelationshipsTab";
import { SettingsTab } from "./SettingsTab";
import type { ModelEdits } from "./useModelEdits";
import { WhereRows } from "./WhereRows";

const TABS = ["Columns", "Rows", "Relationships", "Hierarchies", "Measures", "Settings"] as const;

/** A table opened from the map: what it holds, how it hangs together, what is computed from it. */
export default function TablePanel({
  model,
  name,
  share,
  edits,
  close,
}: {
  model: ModelAnswer;
  name: string;
  share: ModelShare | null;
  edits: ModelEdits;
  close: () => void;
}) {
  const bench = useWorkbench();
  const [tab, setTab] = useState<(typeof TABS)[number]>("Columns");
  const [refreshing, setRefreshing] = useState(false);
  const written = (model.document.tables ?? []).find((item) => item.name === name);
  const original = written?.alias_of ? (model.document.tables ?? []).find((item) => item.name === written.alias_of) : undefined;
  const table = written && original ? { ...written, columns: original.columns, key: original.key } : written;
  const profile = useQuery(queries.profile(model.document.name, name));
  if (!table) return <Notice kind="bad">There is no table {name} in this model.</Notice>;
  const editable = bench.state === "draft";
  const held = profile.data;
  return (
    <section className="table-panel" aria-label={`Table ${name}`} data-testid="table-panel">
      <div className="row wrap">
        <h2 className="cut">{table.label ?? name}</h2>
        {table.label && <code className="soft">{name}</code>}
        <span className="soft small">{held && !model.chosen_by[name] ? `${count(held.rows)} rows` : ""}</span>
        <span className="grow" />
        {editable &&
          held &&
          !table.alias_of &&
          (held.kept ? (
            <NavLink to={`/models/lines/${encodeURIComponent(name)}`}>Open its lines</NavLink>
          ) : (
            <>
              {!table.in_place && (
                <>
                  <KeepHere model={model.document.name} table={name} rows={held.rows} />
                  <Button size="small" onClick={() => setRefreshing(true)}>
                    Refresh…
                  </Button>
                </>
              )}
              {!model.chosen_by[name] && <WhereRows model={model.document.name} table={table} rows={held.rows} />}
            </>
          ))}
        <Button size="small" aria-label="Close the table" onClick={close}>
          Close
        </Button>
      </div>
      {table.about && <p className="soft">{table.about}</p>}
      {held && (
        <p className="soft small">
          {table.in_place ? (
            <>
              stays in {table.in_place.source} (<code>{table.in_place.relation.join(".")}</code>), asked there
              {model.chosen_by[name] &&
                `; in which database is chosen by viewer.${model.chosen_by[name].join(" and viewer.")}: told here are the columns of one of them`}
            </>
          ) : held.kept ? (
            "kept here"
          ) : (
            held.source && `from ${held.source}`
          )}
          {!table.in_place && held.brought_at && `, ${dayOf(held.brought_at)}`}
          {table.base_filter && (
            <>
              {" "}
              · base filter {table.base_filter_label ?? ""} <code>{table.base_filter}</code>
              {table.base_filter_reason && ` (${table.base_filter_reason})`}
            </>
          )}
        </p>
      )}
      {!editable && <Notice>This is the live release. Go back to the draft to change the model.</Notice>}
      <div className="tabs">
        <div className="tablist" role="tablist" aria-label="Of the table">
          {TABS.map((item) => (
            <button type="button" role="tab" key={item} aria-selected={tab === item} onClick={() => setTab(item)}>
              {item}
            </button>
          ))}
        </div>
      </div>
      {profile.isError && <Notice kind="bad">{profile.error.message}</Notice>}
      {!held && !profile.isError && <p className="soft">Looking at every row…</p>}
      {held && (
        <div className="tab-body" key={name}>
          {tab === "Columns" && (
            <ColumnsTab
              model={model.document}
              table={table}
              profile={held}
              share={share}
              edits={edits}
              editable={editable && !table.alias_of}
            />
          )}
          {tab === "Rows" && (
            <div className="viewers fill">
              <RowsView model={model} fixed={name} />
            </div>
          )}
          {tab === "Relationships" && (
            <RelationshipsTab model={model.document} table={table} profile={held} edits={edits} editable={editable} />
          )}
          {tab === "Hierarchies" && <HierarchiesTab model={model.document} table={table} edits={edits} editable={editable} />}
          {tab === "Measures" && <MeasuresTab model={model.document} table={table} edits={edits} editable={editable} />}
          {tab === "Settings" && (
            <SettingsTab key={model.version} model={model.document} table={table} profile={held} edits={edits} editable={editable} />
          )}
        </div>
      )}
      {refreshing && <RefreshModal model={model.document.name} table={table} close={() => setRefreshing(false)} />}
    </section>
  );
}
