import { useState } from "react";
import { useModel, useWorkbench } from "../../state/workbench";
import { Empty, Notice } from "../../ui/Notice";
import { RowsView } from "../../ui/RowsView";
import { TotalsView } from "./TotalsView";
import "./viewers.css";
import "../../ui/rows-view.css";

/** One to four viewers side by side with all data: the same lines aligned, differences marked. */
export default function ViewersScreen() {
  const bench = useWorkbench();
  const model = useModel();
  const [view, setView] = useState<"totals" | "rows">("totals");
  if (model.isError) return <Notice kind="bad">{model.error.message}</Notice>;
  return (
    <div className="pad viewers">
      <div className="tabs">
        <div role="tablist" className="tablist">
          <button type="button" role="tab" aria-selected={view === "totals"} onClick={() => setView("totals")}>
            Totals
          </button>
          <button type="button" role="tab" aria-selected={view === "rows"} onClick={() => setView("rows")}>
            Rows
          </button>
        </div>
        <span className="grow" />
        <span className="soft small pad-below-5">{bench.state === "draft" ? "in the draft" : "live"}</span>
      </div>
      {bench.pins.length === 0 && <Notice>Pin up to four viewers in the row above, and they stand here side by side with all data.</Notice>}
      {!model.data && !model.isPending && <Empty title="No model yet" />}
      {model.data && view === "totals" && <TotalsView key={model.data.document.name} model={model.data} />}
      {model.data && view === "rows" && <RowsView key={model.data.document.name} model={model.data} />}
    </div>
  );
}
