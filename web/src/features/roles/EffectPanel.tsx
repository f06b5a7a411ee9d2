import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Button, Select } from "antd";
import { useState } from "react";
import { ApiError, api, data, type ModelAnswer, type PinnedViewer, type Role, type RoleEntry, type Schemas } from "../../api/client";
import { usePeople, useRoles } from "../../app/Tray";
import { useWorkbench } from "../../app/workbench";
import { shownValue } from "../../ui/figures";
import { Letter } from "../../ui/Letter";
import { Empty, Notice } from "../../ui/Notice";
import { Scroll } from "../../ui/Scroll";
import { SeenCell } from "../../ui/SeenCell";
import { Share } from "../../ui/Share";
import { useDelayed } from "../../ui/useDelayed";

export type EffectAnswer = Schemas["EffectAnswer"];

const PREVIEW_COLUMNS = 5;

/** The same viewer with only this role. */
function alone(viewer: PinnedViewer, role: string): PinnedViewer {
  if (typeof viewer === "string") return { login: viewer, only_roles: [role] };
  if ("all_data" in viewer) return viewer;
  if ("imagine" in viewer) return { imagine: { ...viewer.imagine, only_roles: [role] } };
  return { ...viewer, only_roles: [role] };
}

/** What the edited role does to the focused viewer, asked anew at every keystroke. */
export function useEffectOf(
  model: string | null,
  role: Role | null,
  viewer: PinnedViewer | null,
  table: string | null,
  key: string | undefined,
) {
  const settled = useDelayed(role, 40);
  return useQuery({
    queryKey: ["effect", model, settled, viewer, table],
    queryFn: ({ signal }) =>
      data(
        api.POST("/api/effect", {
          signal,
          body: {
            model: model ?? "",
            viewers: viewer ? [viewer] : [],
            edited: settled ? [settled] : [],
            rows: table ? { model: model ?? "", table, order: key ? [`${table}.${key}`] : [], limit: 200 } : null,
          },
        }),
      ),
    enabled: model !== null && settled !== null,
    placeholderData: keepPreviousData,
    retry: false,
  });
}

type Props = {
  model: ModelAnswer | undefined;
  entry: RoleEntry | undefined;
  role: Role;
  dirty: boolean;
  mode: "all" | "alone";
  setMode: (mode: "all" | "alone") => void;
  table: string | null;
  setTable: (table: string) => void;
  effect: ReturnType<typeof useEffectOf>;
};

export function viewerFor(viewer: PinnedViewer | undefined, mode: "all" | "alone", role: string): PinnedViewer | null {
  if (!viewer) return null;
  return mode === "alone" ? alone(viewer, role) : viewer;
}

/** The right side of the bench: shares before and after, and rows with the withheld ones in their places. */
export function EffectPanel({ model, entry, role, dirty, mode, setMode, table, setTable, effect }: Props) {
  const bench = useWorkbench();
  const people = usePeople();
  const roles = useRoles();
  const pin = bench.pins[bench.focus - 1] ?? bench.pins[0];
  const place = pin ? bench.pins.indexOf(pin) + 1 : 0;
  const [tab, setTab] = useState<"rows" | "objects">("rows");
  if (!pin) {
    return (
      <Empty title="Pin somebody to see what this role does">
        <p>The effect follows every keystroke, before anything is saved.</p>
        {(entry?.holders ?? []).slice(0, 3).map((holder) => {
          const held = people.data?.people.find((person) => person.login === holder.login)?.roles.join(", ") ?? "";
          return (
            <p key={holder.login}>
              <Button
                size="small"
                onClick={() =>
                  bench.pin({ key: `user:${holder.login}`, title: holder.name, detail: `${holder.login} · ${held}`, viewer: holder.login })
                }
              >
                Pin {holder.name}
              </Button>
            </p>
          );
        })}
      </Empty>
    );
  }
  const login = typeof pin.viewer === "string" ? pin.viewer : null;
  const held = (people.data?.people.find((person) => person.login === login)?.roles ?? []).map(
    (name) => roles.data?.roles.find((item) => item.role.name === name)?.role.label ?? name,
  );
  const answer = effect.data;
  const before = answer?.before.shares[0];
  const after = answer?.after?.shares[0];
  const shown = after ?? before;
  const holds = answer?.held_by[0] ?? false;
  const refused = shown?.refused;
  return (
    <div className="effect" aria-busy={effect.isFetching} data-testid="effect">
      <div className="row">
        <Letter place={place} />
        <b className="cut">Effect for {pin.title}</b>
        <span className="grow" />
        <span className={`state-mark small nowrap ${dirty ? "" : "quiet"}`}>{dirty ? "draft, unsaved" : "draft"}</span>
      </div>
      <p className="small soft" style={{ margin: "4px 0 8px" }}>
        {mode === "all" ? (
          <>
            with all roles held{held.length > 0 && `: ${held.join(", ")}`} ·{" "}
            <button type="button" className="textlink" onClick={() => setMode("alone")}>
              this role alone
            </button>
          </>
        ) : (
          <>
            this role alone ·{" "}
            <button type="button" className="textlink" onClick={() => setMode("all")}>
              with all roles held
            </button>
          </>
        )}
      </p>
      {effect.isError && (
        <Notice kind="bad">{effect.error instanceof ApiError ? effect.error.message : "The effect could not be worked out."}</Notice>
      )}
      {answer && answer.problems.length > 0 && <Notice kind="careful">The edit does not check out yet; shown is the saved draft.</Notice>}
      {mode === "all" && answer && !holds && (
        <Notice kind="careful">
          {pin.title} does not hold this role, so editing it changes nothing here. Look at{" "}
          <button type="button" className="textlink" onClick={() => setMode("alone")}>
            this role alone
          </button>
          , or map it.
        </Notice>
      )}
      {refused && (
        <Notice kind="careful">
          {mode === "alone" && role.kind === "limit" ? "A limit opens nothing on its own. Look with all roles held." : refused.message}
        </Notice>
      )}
      {shown && !refused && (
        <>
          <div className="shares">
            {shown.tables.map((item) => {
              const was = before?.tables.find((other) => other.table === item.table);
              const note = item.absent_columns.length > 0 ? `${item.absent_columns.length} absent` : undefined;
              return (
                <button
                  key={item.table}
                  type="button"
                  className={`share ${item.table === table ? "on" : ""}`}
                  onClick={() => setTable(item.table)}
                  data-testid={`share-${item.table}`}
                >
                  <span className="cut">{item.table}</span>
                  <Share visible={item.visible} rows={item.rows} was={after && was ? was.visible : undefined} note={note} width={60} />
                </button>
              );
            })}
          </div>
          <div className="tabs small" style={{ marginTop: 12 }}>
            <div role="tablist" className="tablist">
              <button type="button" role="tab" aria-selected={tab === "rows"} onClick={() => setTab("rows")}>
                rows
              </button>
              <button type="button" role="tab" aria-selected={tab === "objects"} onClick={() => setTab("objects")}>
                objects
              </button>
            </div>
            <span className="grow" />
            {tab === "rows" && (
              <Select
                size="small"
                aria-label="Rows of"
                value={table}
                onChange={setTable}
                style={{ minWidth: 120 }}
                options={shown.tables.map((item) => ({ value: item.table, label: item.table }))}
              />
            )}
          </div>
          {tab === "rows" && answer && <RowsPreview model={model} answer={answer} table={table} />}
          {tab === "objects" && <ObjectsPreview share={shown} before={before} model={model} />}
        </>
      )}
    </div>
  );
}

function RowsPreview({ model, answer, table }: { model: ModelAnswer | undefined; answer: EffectAnswer; table: string | null }) {
  const before = answer.before.rows;
  const after = answer.after?.rows ?? before;
  if (!before || !after || !table) return null;
  const shape = model?.document.tables?.find((item) => item.name === table);
  const order = after.columns.map((_, index) => index).slice(0, PREVIEW_COLUMNS);
  const keyAt = after.columns.indexOf(shape?.key ?? "");
  const lost = after.rows.filter((row, index) => before.rows[index]?.states[0] && !row.states[0]).length;
  const gained = after.rows.filter((row, index) => !before.rows[index]?.states[0] && row.states[0]).length;
  return (
    <>
      <Scroll className="scroll rows" label={`Rows of ${table}`}>
        <table className="data">
          <thead>
            <tr>
              {order.map((index) => (
                <th key={after.columns[index]} className={typeof after.rows[0]?.values[index] === "number" ? "number" : ""}>
                  {after.columns[index]}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {after.rows.map((row, place) => {
              const states = row.states[0] ?? null;
              const had = before.rows[place]?.states[0] ?? null;
              const change = had && !states ? "lost" : !had && states ? "gained" : "";
              return (
                <tr
                  key={place}
                  className={change}
                  title={
                    change === "lost" ? "would be lost by this edit" : change === "gained" ? "would be gained by this edit" : undefined
                  }
                >
                  {order.map((index) => {
                    const withheld = states === null && change !== "lost" && index !== keyAt;
                    const state = withheld ? "hidden" : (states?.[index] ?? "clear");
                    const value = states === null ? row.values[index] : row.shown[0]?.[index];
                    return (
                      <SeenCell key={after.columns[index]} state={state} number={typeof row.values[index] === "number"}>
                        {shownValue(value)}
                      </SeenCell>
                    );
                  })}
                </tr>
              );
            })}
          </tbody>
        </table>
      </Scroll>
      <p className="small soft">
        {lost > 0 && <span className="lost-mark">{lost} rows here would be lost by this edit. </span>}
        {gained > 0 && <span className="gained-mark">{gained} rows here would be gained by this edit. </span>}
        Hatched rows are withheld.
        {after.matching > after.rows.length && ` The first ${after.rows.length} of ${after.matching.toLocaleString("en-GB")} rows.`}
      </p>
    </>
  );
}

function ObjectsPreview({
  share,
  before,
  model,
}: {
  share: Schemas["ModelShare"];
  before: Schemas["ModelShare"] | undefined;
  model: ModelAnswer | undefined;
}) {
  const label = (name: string) => model?.document.measures?.find((measure) => measure.name === name)?.label ?? name;
  const lost = (before?.measures ?? []).filter((name) => !share.measures.includes(name));
  const gained = share.measures.filter((name) => before && !before.measures.includes(name));
  return (
    <div className="small">
      <p>
        <b>Measures visible:</b> {share.measures.map(label).join(", ") || "none"}
      </p>
      <p>
        <b>Measures absent:</b> {share.absent_measures.map(label).join(", ") || "none"}
      </p>
      {lost.length > 0 && <p className="warn">Lost by this edit: {lost.map(label).join(", ")}</p>}
      {gained.length > 0 && <p>Gained by this edit: {gained.map(label).join(", ")}</p>}
      {share.tables
        .filter((table) => table.absent_columns.length > 0)
        .map((table) => (
          <p key={table.table}>
            <b>{table.table}:</b> absent are {table.absent_columns.join(", ")}
          </p>
        ))}
    </div>
  );
}
