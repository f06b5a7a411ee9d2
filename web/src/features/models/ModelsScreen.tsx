import { useQuery } from "@tanstack/react-query";
import { Button, Select } from "antd";
import { lazy, Suspense, useMemo, useState } from "react";
import { useNavigate, useParams } from "react-router-dom";
import type { ModelAnswer, PinnedViewer } from "../../api/client";
import { queries } from "../../api/queries";
import { useRoles } from "../../state/directory";
import { useEditKeys } from "../../state/keys";
import { useRights } from "../../state/rights";
import { focusedViewer, useModel, useWorkbench } from "../../state/workbench";
import { plural } from "../../ui/figures";
import { Empty, Notice } from "../../ui/Notice";
import { ModelMap } from "./ModelMap";
import { RefreshReport } from "./RefreshReport";
import { Refused } from "./Refused";
import { Schedules } from "./Schedules";
import { restrictionsOf } from "./strips";
import { useModelEdits } from "./useModelEdits";
import "./models.css";

const CubesView = lazy(() => import("./CubesView"));
const TableFromSource = lazy(() => import("./TableFromSource").then((module) => ({ default: module.TableFromSource })));
const LinesView = lazy(() => import("./LinesView"));
const TablePanel = lazy(() => import("./TablePanel"));

/** The model being worked on: its map, its cubes, what waits to be accepted. */
export default function ModelsScreen() {
  const bench = useWorkbench();
  const model = useModel();
  const navigate = useNavigate();
  const { may } = useRights();
  const [fromSource, setFromSource] = useState(false);
  if (bench.models.length === 0 && !bench.loading) {
    return (
      <div className="pad">
        <Empty title="No data yet">
          <p>
            Start with the files your tables are in: CSV, XLSX or Parquet. Moorland proposes types, keys and relationships; you confirm
            them.
          </p>
          <p className="above-10">
            <Button type="primary" onClick={() => navigate("/models/bring")}>
              Bring data in
            </Button>{" "}
            {may("sources") && <Button onClick={() => setFromSource(true)}>Leave it in a source…</Button>}
          </p>
          {fromSource && <TableFromSource model={null} close={() => setFromSource(false)} made={(name) => bench.setModel(name)} />}
        </Empty>
      </div>
    );
  }
  if (model.isError) return <Notice kind="bad">{model.error.message}</Notice>;
  if (!model.data) return <div className="pad soft">Opening…</div>;
  return <OneModel key={`${model.data.document.name}.${bench.state}`} model={model.data} />;
}

function OneModel({ model }: { model: ModelAnswer }) {
  const bench = useWorkbench();
  const navigate = useNavigate();
  const { view = "map", name } = useParams();
  const { may } = useRights();
  const [fromSource, setFromSource] = useState(false);
  const edits = useModelEdits(model);
  const roles = useRoles();
  const document = model.document;
  const [shown, setShown] = useState<string[] | null>(null);
  const viewer = focusedViewer(bench);
  const share = useQuery({
    ...queries.effect({ state: bench.state, as_of: bench.day, model: document.name, viewers: [viewer] }),
    enabled: bench.focus > 0,
  });
  const refreshes = useQuery(queries.refreshes(document.name));
  const holding = useQuery({ ...queries.held(), enabled: bench.focus > 0 && may("look-shapes") }).data?.held;
  const own = useMemo(() => (roles.data?.roles ?? []).filter((entry) => entry.role.model === document.name), [roles.data, document.name]);
  const held = useMemo(() => {
    const roles = rolesHeld(holding ?? {}, viewer);
    return own.map((entry) => entry.role.name).filter((role) => roles.includes(role));
  }, [own, holding, viewer]);
  const chosenRoles = shown ?? (bench.focus > 0 ? held : []);
  const restrictions = useMemo(
    () =>
      restrictionsOf(
        document,
        own.filter((entry) => chosenRoles.includes(entry.role.name)).map((entry) => entry.role),
      ),
    [document, own, chosenRoles],
  );
  useEditKeys({ undo: edits.undo, redo: edits.redo });
  const waiting = refreshes.data?.refreshes ?? [];
  const cubes = document.cubes ?? [];
  const current = bench.focus > 0 ? (share.data?.before.shares[0] ?? null) : null;
  const tab = view === "cube" || view === "cubes" ? "cubes" : view === "refreshes" ? "refreshes" : "map";
  const go = (path: string) => navigate(`/models${path}`);
  if (view === "lines" && name) return <LinesView model={document} table={name} close={() => go(`/table/${encodeURIComponent(name)}`)} />;
  const chosen = view === "table" ? (name ?? null) : null;
  return (
    <div className="models">
      <header className="row wrap">
        <h2 className="cut">{document.label ?? document.name}</h2>
        <div className="tablist" role="tablist" aria-label="Of the model">
          <button type="button" role="tab" aria-selected={tab === "map"} onClick={() => go("")}>
            Map
          </button>
          <button type="button" role="tab" aria-selected={tab === "cubes"} onClick={() => go("/cubes")}>
            Cubes{cubes.length > 0 && ` ${cubes.length}`}
          </button>
          <button type="button" role="tab" aria-selected={tab === "refreshes"} onClick={() => go("/refreshes")}>
            Refreshes{waiting.length > 0 && ` ${waiting.length} waiting`}
          </button>
        </div>
        {tab === "map" && (
          <Select
            mode="multiple"
            optionFilterProp="label"
            aria-label="Roles whose restrictions are drawn"
            placeholder="draw the restrictions of…"
            className="least-210 most-360"
            maxTagCount="responsive"
            value={chosenRoles}
            onChange={setShown}
            allowClear
            options={own.map((entry) => ({ value: entry.role.name, label: entry.role.label ?? entry.role.name }))}
          />
        )}
        {shown !== null && bench.focus > 0 && tab === "map" && (
          <button type="button" className="textlink small" onClick={() => setShown(null)}>
            those held
          </button>
        )}
        <span className="grow" />
        {edits.undo && (
          <Button size="small" title={edits.undoes ?? ""} onClick={edits.undo}>
            Undo
          </Button>
        )}
        {edits.redo && (
          <Button size="small" onClick={edits.redo}>
            Redo
          </Button>
        )}
        {may("sources") && bench.state === "draft" && <Button onClick={() => setFromSource(true)}>Table from a source…</Button>}
        <Button type={document.tables?.length ? "default" : "primary"} onClick={() => go("/bring")}>
          Bring data in
        </Button>
        {fromSource && (
          <TableFromSource
            model={document.name}
            close={() => setFromSource(false)}
            made={(_, table) => {
              setFromSource(false);
              go(`/table/${encodeURIComponent(table)}`);
            }}
          />
        )}
      </header>
      <Refused edits={edits} />
      {tab === "map" && (
        <>
          {waiting.length > 0 && (
            <Notice kind="careful">
              {plural(waiting.length, "refresh", "refreshes")} {waiting.length === 1 ? "waits" : "wait"} to be accepted:{" "}
              {waiting.map((item) => item.table).join(", ")}.{" "}
              <button type="button" className="textlink" onClick={() => go("/refreshes")}>
                Look
              </button>
            </Notice>
          )}
          {bench.focus > 0 && current?.refused && <Notice kind="careful">{current.refused.message}</Notice>}
          {restrictions.open.size > 0 && (
            <Notice kind="bad">
              {[...restrictions.open].map(([fact, names]) => `${fact} is not reached by ${names.join(", ")}`).join("; ")}: all its rows are
              visible there.
            </Notice>
          )}
          <div className={`map-and-panel ${chosen ? "two" : ""}`}>
            <ModelMap
              model={document}
              rows={model.rows}
              chosenBy={model.chosen_by}
              share={current}
              restrictions={restrictions}
              chosen={chosen}
              choose={(table) => go(table === chosen ? "" : `/table/${encodeURIComponent(table)}`)}
            />
            {chosen && (
              <Suspense fallback={<p className="soft">Opening…</p>}>
                <TablePanel key={chosen} model={model} name={chosen} share={current} edits={edits} close={() => go("")} />
              </Suspense>
            )}
          </div>
        </>
      )}
      {tab === "cubes" && (
        <CubesView
          model={document}
          edits={edits}
          chosen={name ?? null}
          choose={(cube) => go(`/cube/${encodeURIComponent(cube)}`)}
          editable={bench.state === "draft"}
        />
      )}
      {tab === "refreshes" && (
        <div className="refreshes">
          {waiting.length === 0 && (
            <Empty title="No refresh waits">
              Open a table on the map and choose Refresh: the new content is compared with what is there, and nothing changes until you
              accept it.
            </Empty>
          )}
          {waiting.map((staged) => (
            <RefreshReport key={staged.id} staged={staged} />
          ))}
          <Schedules model={model} />
        </div>
      )}
    </div>
  );
}

/** The roles a pinned viewer holds. */
function rolesHeld(held: Record<string, string[]>, viewer: PinnedViewer): string[] {
  if (typeof viewer === "string") return held[viewer] ?? [];
  if ("imagine" in viewer) return viewer.imagine.only_roles ?? [];
  if ("login" in viewer) return viewer.only_roles ?? held[viewer.login] ?? [];
  return [];
}
