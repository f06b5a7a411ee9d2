import { useMutation } from "@tanstack/react-query";
import { App, Checkbox, InputNumber, Modal, Select } from "antd";
import { useState } from "react";
import { ApiError, api, data, type Schemas } from "../../api/client";
import { useChanged } from "../../api/queries";
import { Notice } from "../../ui/Notice";
import { WhenFields } from "../../ui/WhenFields";
import { type Chosen, RelationChoice } from "./RelationChoice";

type When = Schemas["When"];
/** A refresh by schedule: from where, when, and within what it is accepted by itself. */
export function ScheduleForm(props: {
  model: Schemas["Model"];
  zone: string;
  taken: string[];
  entry: Schemas["ScheduleEntry"] | null;
  close: () => void;
}) {
  const { model, zone, taken, entry, close } = props;
  const changed = useChanged();
  const { message } = App.useApp();
  const [table, setTable] = useState(entry?.text.table ?? null);
  const [chosen, setChosen] = useState<Chosen>({ source: entry?.text.source ?? null, relation: entry?.text.relation ?? null });
  const [when, setWhen] = useState<When>(entry?.text.when ?? { at: "03:30", days: [], minutes: null });
  const [agreed, setAgreed] = useState(entry?.text.agreed ?? { percent: 10, nobody_gains_sensitive: true, no_promise_breaks: true });
  const [enabled, setEnabled] = useState(entry?.enabled ?? true);
  const save = useMutation({
    mutationFn: () =>
      data(
        api.PUT("/api/models/{model}/schedules", {
          params: { path: { model: model.name } },
          body: {
            text: { model: model.name, table: table ?? "", source: chosen.source ?? "", relation: chosen.relation ?? [], when, agreed },
            enabled,
            version: entry?.version ?? null,
          },
        }),
      ),
    onSuccess: async () => {
      await changed();
      message.success("Kept. It does what you may do by hand, in your name.");
      close();
    },
  });
  const tables = (model.tables ?? []).filter(
    (item) => !item.alias_of && !item.in_place && (item.name === table || !taken.includes(item.name)),
  );
  return (
    <Modal
      open
      width={680}
      title={entry ? `The schedule of ${entry.text.table}` : "A refresh by schedule"}
      okText="Keep it"
      okButtonProps={{ loading: save.isPending, disabled: table === null || chosen.relation === null }}
      onOk={() => save.mutate()}
      onCancel={close}
    >
      <div className="place-form">
        <label htmlFor="schedule-table">Refresh</label>
        <Select
          id="schedule-table"
          showSearch
          optionFilterProp="label"
          disabled={entry !== null}
          placeholder="a table that was brought in"
          value={table}
          onChange={setTable}
          options={tables.map((item) => ({ value: item.name, label: item.label ?? item.name }))}
        />
        <RelationChoice chosen={chosen} choose={setChosen} />
        <span>Runs</span>
        <WhenFields when={when} change={setWhen} zone={zone} />
        <span>Accepted if</span>
        <div>
          <div className="row">
            <label htmlFor="schedule-percent">no column is missing, and at most</label>
            <InputNumber
              id="schedule-percent"
              min={0}
              max={100}
              precision={0}
              value={agreed.percent}
              onChange={(percent) => setAgreed({ ...agreed, percent: percent ?? 0 })}
            />
            <span>% of rows, keys and values vanish</span>
          </div>
          <Checkbox
            checked={agreed.nobody_gains_sensitive}
            onChange={(event) => setAgreed({ ...agreed, nobody_gains_sensitive: event.target.checked })}
          >
            nobody sees more rows of tables with sensitive columns
          </Checkbox>
          <br />
          <Checkbox
            checked={agreed.no_promise_breaks}
            onChange={(event) => setAgreed({ ...agreed, no_promise_breaks: event.target.checked })}
          >
            no promise breaks
          </Checkbox>
          <p className="soft small">Else it waits for somebody, and the old content stays.</p>
        </div>
        <span>Switched</span>
        <Checkbox checked={enabled} onChange={(event) => setEnabled(event.target.checked)}>
          on
        </Checkbox>
      </div>
      {save.error && <Notice kind="bad">{save.error instanceof ApiError ? save.error.message : "This could not be kept."}</Notice>}
    </Modal>
  );
}
