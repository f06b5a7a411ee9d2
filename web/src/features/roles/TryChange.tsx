import { useMutation } from "@tanstack/react-query";
import { Button, Input, Radio, Select } from "antd";
import { useState } from "react";
import { api, data, type PinnedViewer, type Schemas } from "../../api/client";
import type { Pin } from "../../state/workbench";
import { columnText, literal } from "../../ui/conditions/clauses";
import { ValuePicker } from "../../ui/conditions/ValuePicker";
import { plural } from "../../ui/figures";
import { Notice } from "../../ui/Notice";
import type { Editing } from "../../ui/sentences/sentence";
import { ApplyChange } from "./ApplyChange";

type Change = Schemas["ChangeQuestion"];
type Act = "update" | "insert" | "delete";

/** Tries an update, insert or delete as the viewer in focus, unsaved sentences included; nothing is changed. */
export function TryChange({ editing, table, pin }: { editing: Editing; table: string; pin: Pin | undefined }) {
  const { role, model } = editing;
  const shape = model.document.tables?.find((item) => item.name === table);
  const columns = (shape?.columns ?? []).filter((column) => !column.expression && !column.mapping);
  const [act, setAct] = useState<Act>("update");
  const [column, setColumn] = useState<string | null>(null);
  const [value, setValue] = useState("");
  const [by, setBy] = useState<string | null>(null);
  const [values, setValues] = useState<unknown[]>([]);
  const typeOf = (name: string | null) => columns.find((item) => item.name === name)?.type ?? "text";
  const where =
    by && values.length > 0 ? `${columnText(table, by, table)} IN (${values.map((item) => literal(item, typeOf(by))).join(", ")})` : null;
  const viewer: PinnedViewer = pin?.viewer ?? { imagine: { only_roles: [role.name] } };
  const meant = (): Change => {
    const set = column ? { [column]: typed(value, typeOf(column)) } : {};
    if (act === "update") return { model: model.document.name, table, update: { set, where } };
    if (act === "delete") return { model: model.document.name, table, delete: { where } };
    return { model: model.document.name, table, insert: { rows: [set] } };
  };
  const ask = useMutation({
    mutationFn: async () => {
      const change = meant();
      const answer = await data(api.POST("/api/evaluate", { body: { viewers: [viewer], edited: [role], ask: [{ change }] } }));
      return { change, found: answer.viewers[0]?.answers[0] };
    },
  });
  const answer = ask.data?.found;
  return (
    <section className="try-change" aria-label="Try a change">
      <div className="row wrap">
        <b>Try a change</b>
        <span className="soft small">as {pin ? pin.title : "somebody with this role alone"}; trying makes nothing</span>
        <span className="grow" />
        <Radio.Group size="small" aria-label="What to try" value={act} onChange={(event) => setAct(event.target.value as Act)}>
          <Radio.Button value="update">update</Radio.Button>
          <Radio.Button value="insert">insert</Radio.Button>
          <Radio.Button value="delete">delete</Radio.Button>
        </Radio.Group>
      </div>
      {act !== "delete" && (
        <div className="field">
          {act === "update" ? "set" : "a row with"}
          <Select
            showSearch
            optionFilterProp="label"
            size="small"
            aria-label="Column to set"
            placeholder="column"
            className="least-130"
            value={column}
            onChange={setColumn}
            options={columns.map((item) => ({ value: item.name, label: item.name }))}
          />
          to
          <Input
            size="small"
            aria-label="New value"
            className="wide-150"
            value={value}
            placeholder="left empty: blank"
            onChange={(event) => setValue(event.target.value)}
          />
        </div>
      )}
      {act !== "insert" && (
        <div className="field from-top">
          in rows whose
          <Select
            showSearch
            optionFilterProp="label"
            size="small"
            allowClear
            aria-label="Column that says which rows"
            placeholder="any row"
            className="least-130"
            value={by}
            onChange={(next) => {
              setBy(next ?? null);
              setValues([]);
            }}
            options={columns.map((item) => ({ value: item.name, label: item.name }))}
          />
          {by && (
            <div className="grow rows-editor-like">
              is one of
              <ValuePicker key={by} model={model.document.name} table={table} column={by} values={values} onChange={setValues} />
            </div>
          )}
        </div>
      )}
      <div className="row">
        <Button size="small" disabled={act !== "delete" && !column} loading={ask.isPending} onClick={() => ask.mutate()}>
          Try it
        </Button>
        {answer && "meant" in answer && (
          <span data-testid="change-tried" role="status">
            <b>{plural(answer.meant, "row")}</b> meant, <b>{answer.allowed.toLocaleString("en-GB")}</b> allowed,{" "}
            <b className={answer.refused > 0 ? "warn" : ""}>{answer.refused.toLocaleString("en-GB")}</b> refused
          </span>
        )}
      </div>
      {answer && "meant" in answer && ask.data && shape?.in_place && (
        <ApplyChange
          key={JSON.stringify(ask.data.change)}
          change={ask.data.change}
          source={shape.in_place.source}
          meant={answer.meant}
          refused={answer.refused}
          viewer={pin?.viewer}
        />
      )}
      {answer && "meant" in answer && Object.keys(answer.reasons ?? {}).length > 0 && (
        <ul className="small">
          {Object.entries(answer.reasons ?? {}).map(([reason, rows]) => (
            <li key={reason}>
              {plural(rows, "row")}: {reason}
            </li>
          ))}
        </ul>
      )}
      {answer && "error" in answer && <Notice kind="careful">{answer.error.message}</Notice>}
      {ask.isError && <Notice kind="bad">{ask.error.message}</Notice>}
    </section>
  );
}

function typed(text: string, type: string): string | number | boolean | null {
  if (text.trim() === "") return null;
  if (type === "integer" || type === "number") return Number.isNaN(Number(text)) ? text : Number(text);
  if (type === "boolean") return /^(true|yes|1)$/i.test(text.trim());
  return text;
}
