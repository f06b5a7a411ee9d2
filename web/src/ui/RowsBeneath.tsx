import { useQuery } from "@tanstack/react-query";
import { Button, Modal } from "antd";
import type { PinnedViewer } from "../api/client";
import { queries } from "../api/queries";
import { useWorkbench } from "../state/workbench";
import { rowValue } from "./figures";
import { Notice } from "./Notice";
import { Scroll } from "./Scroll";
import { count } from "./Share";

type Props = { model: string; viewer: PinnedViewer; table: string; title: string; where: string | null; close: () => void };

/** The rows beneath a number, as a viewer may list them. */
export function RowsBeneath({ model, viewer, table, title, where, close }: Props) {
  const bench = useWorkbench();
  const asked = useQuery(
    queries.evaluated({
      state: bench.state,
      as_of: bench.day,
      viewers: [viewer],
      ask: [{ rows: { model, table, where, limit: 200 } }],
    }),
  );
  const found = asked.data?.viewers[0]?.answers[0];
  const rows = found && "rows" in found && "visible" in found ? found : null;
  return (
    <Modal open width={860} title={`Rows beneath ${title}`} onCancel={close} footer={<Button onClick={close}>Close</Button>}>
      {asked.isPending && <p className="soft">Listing…</p>}
      {asked.isError && <Notice kind="bad">{asked.error.message}</Notice>}
      {found && "error" in found && <Notice kind="careful">{found.error.message}</Notice>}
      {rows && (
        <>
          <p className="soft small">
            {count(rows.visible)} rows of {table}
            {rows.rows.length < rows.visible && `, the first ${count(rows.rows.length)} shown`}
          </p>
          <Scroll label="Rows beneath" className="scroll low-420">
            <table className="data">
              <thead>
                <tr>
                  {rows.columns.map((column) => (
                    <th key={column}>{column}</th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {rows.rows.map((row, index) => (
                  <tr key={`${String(index)}`}>
                    {row.map((value, place) => {
                      const state = rows.states[index]?.[place] ?? "clear";
                      return (
                        <td
                          key={rows.columns[place]}
                          className={`${state === "hidden" ? "hid" : ""} ${typeof value === "number" ? "number" : ""}`}
                        >
                          {state === "masked" ? <span className="msk">{rowValue(value)}</span> : rowValue(value)}
                        </td>
                      );
                    })}
                  </tr>
                ))}
              </tbody>
            </table>
          </Scroll>
        </>
      )}
    </Modal>
  );
}
