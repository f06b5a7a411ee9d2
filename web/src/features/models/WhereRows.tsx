import { useMutation } from "@tanstack/react-query";
import { App, Button, Modal } from "antd";
import { useState } from "react";
import { ApiError, api, data, type Schemas } from "../../api/client";
import { useChanged } from "../../api/queries";
import { useRights } from "../../state/rights";
import { count } from "../../ui/figures";
import { Notice } from "../../ui/Notice";
import { type Chosen, RelationChoice } from "./RelationChoice";

type Table = NonNullable<Schemas["Model"]["tables"]>[number];

/** Where a table's rows are: here, or in a source; moved from one to the other. */
export function WhereRows({ model, table, rows }: { model: string; table: Table; rows: number }) {
  const { may } = useRights();
  const [open, setOpen] = useState(false);
  if (!may("sources") || table.alias_of) return null;
  return (
    <>
      <Button size="small" onClick={() => setOpen(true)}>
        {table.in_place ? "Bring it here…" : "Leave it in a source…"}
      </Button>
      {open && <Moving model={model} table={table} rows={rows} close={() => setOpen(false)} />}
    </>
  );
}

function Moving({ model, table, rows, close }: { model: string; table: Table; rows: number; close: () => void }) {
  const changed = useChanged();
  const { message } = App.useApp();
  const [chosen, setChosen] = useState<Chosen>({ source: null, relation: null });
  const back = table.in_place != null;
  const move = useMutation({
    mutationFn: () =>
      data(
        api.POST("/api/models/{model}/tables/{table}/place", {
          params: { path: { model, table: table.name } },
          body: back ? { source: null, relation: null } : { source: chosen.source, relation: chosen.relation },
        }),
      ),
    onSuccess: async () => {
      await changed();
      message.success(back ? "Its rows are here; the draft uses them." : "Its rows stay there; the draft asks for them there.");
      close();
    },
  });
  const problems = move.error instanceof ApiError ? move.error.problems : [];
  return (
    <Modal
      open
      width={620}
      title={back ? `Bring the rows of ${table.label ?? table.name} here` : `Leave ${table.label ?? table.name} in a source`}
      okText={back ? "Bring them here" : "Leave it there"}
      okButtonProps={{ loading: move.isPending, disabled: !back && chosen.relation === null }}
      onOk={() => move.mutate()}
      onCancel={close}
    >
      {back ? (
        <p>
          {count(rows)} rows of <code>{table.in_place?.relation.join(".")}</code> are copied as they are now. From then on they change when
          the table is refreshed. The draft uses them at once, what is live with the next release.
        </p>
      ) : (
        <>
          <p className="soft">
            Its columns have to be there under the same names. The rows that were brought in are kept until the table is brought here again;
            what is live stays on them until the next release.
          </p>
          <div className="place-form">
            <RelationChoice chosen={chosen} choose={setChosen} />
          </div>
        </>
      )}
      {move.error && (
        <Notice kind="bad">
          {move.error.message}
          {problems.length > 1 && problems.slice(1, 8).map((problem) => <div key={problem.message}>{problem.message}</div>)}
        </Notice>
      )}
    </Modal>
  );
}
