import { App, Button } from "antd";
import { useEffect, useRef, useState } from "react";
import { useSearchParams } from "react-router-dom";
import { api, data, type StateName } from "../../api/client";
import { useGone } from "../../state/directory";
import { type Pin, useModel, useWorkbench } from "../../state/workbench";
import { Empty, Notice } from "../../ui/Notice";
import { type RowsChoice, RowsView } from "../../ui/RowsView";
import { MembersView } from "./MembersView";
import { ObjectsView } from "./ObjectsView";
import { PagesView } from "./PagesView";
import { type TotalsChoice, TotalsView } from "./TotalsView";
import "./viewers.css";
import "../../ui/rows-view.css";

const VIEWS = ["pages", "totals", "rows", "objects", "members"] as const;
type View = (typeof VIEWS)[number];

/** What is on the screen, as its address keeps it. */
type Shown = {
  pins: Pin[];
  focus: number;
  model: string | null;
  state: StateName;
  day: string | null;
  view: View;
  differing: boolean;
  totals: TotalsChoice | null;
  rows: RowsChoice | null;
};

/** One to four viewers side by side with all data, in every respect: the same things aligned, differences marked. */
export default function ViewersScreen() {
  const bench = useWorkbench();
  const model = useModel();
  const [view, setView] = useState<View>("totals");
  const [differing, setDiffering] = useState(false);
  const [totals, setTotals] = useState<TotalsChoice | null>(null);
  const [rows, setRows] = useState<RowsChoice | null>(null);
  const gone = useKeptLook((shown) => {
    bench.pinAll(shown.pins);
    bench.setFocus(shown.focus);
    if (shown.model) bench.setModel(shown.model);
    bench.setState(shown.state);
    bench.setDay(shown.day);
    setView(shown.view);
    setDiffering(shown.differing);
    setTotals(shown.totals);
    setRows(shown.rows);
  });
  const nobody = useGone(bench.pins);
  if (model.isError) return <Notice kind="bad">{model.error.message}</Notice>;
  const { pins, focus, state, day } = bench;
  // Beside somebody who is not there nothing can be answered: that is said once, with what to do.
  const shown = nobody.length === 0 ? model.data : undefined;
  return (
    <div className="pad viewers">
      <div className="tabs">
        <div role="tablist" className="tablist">
          {VIEWS.map((item) => (
            <button key={item} type="button" role="tab" aria-selected={view === item} onClick={() => setView(item)}>
              {item.charAt(0).toUpperCase() + item.slice(1)}
            </button>
          ))}
        </div>
        <span className="grow" />
        <span className="soft small pad-below-5">
          {state === "draft" ? "in the draft" : "live"}
          {day && `, as of ${day}`}
        </span>
        <CopyAddress shown={{ pins, focus, model: bench.model, state, day, view, differing, totals, rows }} />
      </div>
      {gone && <Notice kind="careful">{gone}</Notice>}
      {nobody.length > 0 && (
        <Notice kind="careful">
          {nobody.map((pin) => pin.title).join(", ")} {nobody.length === 1 ? "is" : "are"} not there any more, so nothing can be set side by
          side.{" "}
          <Button size="small" onClick={() => bench.pinAll(pins.filter((pin) => !nobody.includes(pin)))}>
            Unpin, and go on with the others
          </Button>
        </Notice>
      )}
      {pins.length === 0 && <Notice>Pin up to four viewers in the row above, and they stand here side by side with all data.</Notice>}
      {!model.data && !model.isPending && <Empty title="No model yet" />}
      {nobody.length === 0 && view === "pages" && <PagesView differing={differing} setDiffering={setDiffering} />}
      {shown && view === "totals" && (
        <TotalsView
          key={shown.document.name}
          model={shown}
          differing={differing}
          setDiffering={setDiffering}
          choice={totals}
          choose={setTotals}
        />
      )}
      {shown && view === "rows" && <RowsView key={shown.document.name} model={shown} choice={rows} choose={setRows} />}
      {shown && view === "objects" && (
        <ObjectsView key={shown.document.name} model={shown} differing={differing} setDiffering={setDiffering} />
      )}
      {shown && view === "members" && (
        <MembersView key={shown.document.name} model={shown} differing={differing} setDiffering={setDiffering} />
      )}
    </div>
  );
}

/** Opens the look an address names, once; in a sentence why it cannot. */
function useKeptLook(open: (shown: Shown) => void): string | null {
  const [search, setSearch] = useSearchParams();
  const [gone, setGone] = useState<string | null>(null);
  const done = useRef(false);
  const key = search.get("look");
  useEffect(() => {
    if (done.current || !key) return;
    done.current = true;
    data(api.GET("/api/looks/{key}", { params: { path: { key } } }))
      .then((look) => open(look.shown as unknown as Shown))
      .catch(() => {
        setGone("What this address led to is no longer kept. Pin whom you want to look as, and copy a new one.");
        setSearch({}, { replace: true });
      });
  });
  return gone;
}

function CopyAddress({ shown }: { shown: Shown }) {
  const { message } = App.useApp();
  const [, setSearch] = useSearchParams();
  const copy = async () => {
    try {
      const { key } = await data(
        api.POST("/api/looks", { body: { screen: "viewers", shown: shown as unknown as Record<string, unknown> } }),
      );
      setSearch({ look: key }, { replace: true });
      await navigator.clipboard?.writeText(`${window.location.origin}/viewers?look=${key}`);
      message.success("The address is copied. It names nobody; a colleague sees what their own rights allow.");
    } catch (error) {
      message.error(error instanceof Error ? error.message : "The address could not be made.");
    }
  };
  return (
    <Button size="small" onClick={() => void copy()}>
      Copy the address
    </Button>
  );
}
