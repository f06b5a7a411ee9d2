import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Input, Modal, Select } from "antd";
import { useEffect, useState } from "react";
import { ApiError, api, data } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { plural } from "../../ui/figures";
import { Notice } from "../../ui/Notice";
import { type Chosen, FoundColumns, RelationChoice } from "./RelationChoice";

/** A new table of a model whose rows stay in a source; without a model yet, of a new one. */
export function TableFromSource({
  model,
  close,
  made,
}: {
  model: string | null;
  close: () => void;
  made: (model: string, table: string) => void;
}) {
  const changed = useChanged();
  const { message } = App.useApp();
  const [into, setInto] = useState(model ?? "");
  const [chosen, setChosen] = useState<Chosen>({ source: null, relation: null });
  const [name, setName] = useState("");
  const [key, setKey] = useState<string | null>(null);
  const [columns, setColumns] = useState<string[]>([]);
  const told = useQuery({
    ...queries.relation(chosen.source ?? "", chosen.relation ?? []),
    enabled: chosen.source !== null && chosen.relation !== null,
    retry: false,
  });
  const found = told.data;
  useEffect(() => {
    if (!found || !chosen.relation) return;
    setName(chosen.relation[chosen.relation.length - 1] ?? "");
    setColumns(found.columns.filter((column) => column.type !== null).map((column) => column.name));
    setKey(found.keys.find((item) => /(^|_)(id|key|no|code)$/i.test(item)) ?? null);
  }, [found, chosen.relation]);
  const leave = useMutation({
    mutationFn: async () => {
      if (model === null) await data(api.POST("/api/models", { body: { name: into.trim(), label: null } }));
      await data(
        api.POST("/api/models/{model}/placed", {
          params: { path: { model: into.trim() } },
          body: { table: name.trim(), label: null, source: chosen.source ?? "", relation: chosen.relation ?? [], columns, key },
        }),
      );
    },
    onSuccess: async () => {
      await changed();
      message.success(`${name} stays where it is. It is in quarantine until you release it.`);
      made(into.trim(), name.trim());
    },
  });
  const ready = into.trim() !== "" && name.trim() !== "" && chosen.relation !== null && columns.length > 0;
  return (
    <Modal
      open
      width={680}
      title="A table that stays in its source"
      okText="Leave it there"
      okButtonProps={{ disabled: !ready, loading: leave.isPending }}
      onOk={() => leave.mutate()}
      onCancel={close}
    >
      <div className="place-form">
        {model === null && (
          <>
            <label htmlFor="place-model">New model</label>
            <Input id="place-model" value={into} placeholder="operations" onChange={(event) => setInto(event.target.value)} />
          </>
        )}
        <RelationChoice chosen={chosen} choose={setChosen} />
        {found && (
          <>
            <span>Rows</span>
            <span>
              {plural(found.rows, "row")}
              <span className="soft"> at this moment; none of them is copied</span>
            </span>
            <label htmlFor="place-name">Called</label>
            <Input id="place-name" value={name} onChange={(event) => setName(event.target.value)} />
            <span>Columns</span>
            <FoundColumns columns={found.columns} chosen={columns} choose={setColumns} />
            <label htmlFor="place-key">Key</label>
            <Select
              id="place-key"
              allowClear
              placeholder="none: nothing refers to its rows"
              value={key}
              onChange={(next?: string) => setKey(next ?? null)}
              options={found.keys.map((value) => ({ value, label: `${value} · different in every row` }))}
            />
          </>
        )}
      </div>
      {told.isError && <Notice kind="bad">{told.error.message}</Notice>}
      {leave.error && <Notice kind="bad">{leave.error instanceof ApiError ? leave.error.message : "This could not be done."}</Notice>}
    </Modal>
  );
}
