import { useQuery } from "@tanstack/react-query";
import { Button, Modal } from "antd";
import type { PinnedViewer, Schemas } from "../api/client";
import { queries } from "../api/queries";
import { useWorkbench } from "../state/workbench";
import { count, rowValue } from "./figures";
import { Notice } from "./Notice";
import { Scroll } from "./Scroll";

/** So many rows are listed beneath a number. */
export const MOST_BENEATH = 200;

type Props = { model: string; viewer: PinnedViewer; table: string; title: string; where: string | null; close: () => void };

/** The rows beneath a number, as a viewer may list them. */
export function RowsBeneath({ model, viewer, table, title, where, close }: Props) {
  const bench = useWorkbench();
  const asked = useQuery(
    queries.evaluated({
      state: bench.state,
      as_of: bench.day,
      viewers: [viewer],
      unseen: false,
      ask: [{ rows: { model, table, where, limit: MOST_BENEATH, offset: 0 } }],
    }),
  );
  return (
    <ListedBeneath
      table={table}
      title={title}
      found={asked.data?.viewers[0]?.answers[0]}
      error={asked.isError ? asked.error.message : null}
      close={close}
    />
  );
}

type ListedProps = {
  table: string;
  title: string;
  found: Schemas["ViewerAnswers"]["answers"][number] | undefined;
  error: string | null;
  close: () => void;
};

/** What was answered of the rows beneath a number. */
export function ListedBeneath({ table, title, found, error, close }: ListedProps) {
  const rows = found && "rows" in found && "visible" in found ? found : null;
  return (
    <Modal open width={860} title={`Rows beneath ${title}`} onCancel={close} footer={<Button onClick={close}>Close</Button>}>
      {!found && !error && <p className="soft">Listing…</p>}
      {error && <Notice kind="bad">{error}</Notice>}
      {found && "error" in found && <Notice kind="careful">{found.error.message}</Notice>}
      {rows && (
        <>
          <p className="soft small">
            {count(rows.visible)} rows of {table}
            {rows.rows.length < rows.visible &&
              (rows.rows.length > 0 ? `, the first ${count(rows.rows.length)} shown` : "; they are counted, not listed")}
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
