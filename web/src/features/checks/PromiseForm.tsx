import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button, Input, InputNumber, Modal, Select } from "antd";
import { useState } from "react";
import { ApiError, api, data, type Schemas } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { usePeople, useRoles } from "../../state/directory";
import { useModel } from "../../state/workbench";
import { Notice } from "../../ui/Notice";
import { emptySubject, OverAllFields } from "./OverAllFields";
import { isOverAll, KINDS, type Kind, type Must, type PromiseShape, peopleKey, peopleOfKey } from "./words";

type Bound = "count" | "at_least" | "at_most";
type Shown = "only" | "includes" | "excludes";

/** A promise made by hand, or changed: for whom, what must hold, and what it finds before it is kept. */
export function PromiseForm({ entry, close }: { entry: Schemas["PromiseEntry"] | null; close: () => void }) {
  const people = usePeople();
  const roles = useRoles();
  const model = useModel();
  const pages = useQuery(queries.pages("draft"));
  const changed = useChanged();
  const { message } = App.useApp();
  const old = entry?.promise as PromiseShape | null | undefined;
  const [name, setName] = useState(old?.name ?? "");
  const [viewer, setViewer] = useState<string | undefined>(old ? whoKey(old) : undefined);
  const [must, setWhat] = useState<Must>(old?.must ?? { rows: { model: "", table: "", count: 0 } });
  const kind = KINDS.find((item) => must[item.value] != null)?.value ?? "rows";
  const about = model.data?.document;
  const named = modelOf(must) || about?.name || "";
  const overAll = isOverAll(must);
  const choose = (next: Kind) => setMust(emptyMust(next, named));
  const promise = (): PromiseShape => ({
    ...old,
    name: name.trim(),
    ...(overAll ? { viewer: null, viewers: null } : whoOf(viewer, old)),
    must: withModel(must, named),
  });
  const tried = useMutation({ mutationFn: () => data(api.POST("/api/promises/try", { body: { promise: promise() } })) });
  // What was tried is not what stands there now.
  const setMust = (next: Must) => {
    setWhat(next);
    tried.reset();
  };
  const save = useMutation({
    mutationFn: () =>
      data(
        api.PUT("/api/promises/of/{name}", {
          params: { path: { name: name.trim() } },
          body: { promise: promise(), version: entry?.version ?? null },
        }),
      ),
    onSuccess: async () => {
      await changed();
      message.success("Kept in the draft; it acts from the next release.");
      close();
    },
  });
  const ready = name.trim() !== "" && (overAll || viewer !== undefined);
  const columns = (about?.tables ?? []).flatMap((table) => (table.columns ?? []).map((column) => `${table.name}.${column.name}`));
  const objects = [
    ...(about?.tables ?? []).map((table) => `table:${table.name}`),
    ...columns.map((column) => `column:${column}`),
    ...(about?.measures ?? []).map((item) => `measure:${item.name}`),
    ...(about?.cubes ?? []).map((item) => `cube:${item.name}`),
  ];
  const some = [
    ...(people.data?.people ?? []).map((person) => ({ value: `user:${person.login}`, label: `${person.name} · ${person.login}` })),
    ...(people.data?.groups ?? []).map((group) => ({ value: `group:${group.name}`, label: `each member of ${group.label ?? group.name}` })),
    ...(people.data?.organizations ?? []).map((place) => ({
      value: `organization:${place.name}`,
      label: `each of ${place.label ?? place.name}`,
    })),
    ...(roles.data?.roles ?? []).map(({ role }) => ({ value: `role:${role.name}`, label: `each holder of ${role.label ?? role.name}` })),
  ];
  const measures = (about?.measures ?? []).map((item) => ({ value: item.name, label: item.label ?? item.name }));
  const tables = (about?.tables ?? []).map((table) => ({ value: table.name, label: table.label ?? table.name }));
  const pageChoices = (pages.data?.shelves.flatMap((shelf) => shelf.pages) ?? []).map((item) => ({
    value: item.page.name,
    label: item.page.label ?? item.page.name,
  }));
  const who = [
    { value: "everyone", label: "everyone" },
    ...some,
    ...(old && whoKey(old) === "as written" ? [{ value: "as written", label: "as it is written" }] : []),
  ];
  const error = save.error ?? tried.error;
  return (
    <Modal
      open
      width={700}
      title={entry ? `The promise ${entry.label}` : "A promise"}
      okText="Keep it"
      okButtonProps={{ disabled: !ready, loading: save.isPending }}
      onOk={() => save.mutate()}
      onCancel={close}
    >
      <div className="promise-form">
        <label htmlFor="promise-name">Promise</label>
        <Input
          id="promise-name"
          autoFocus
          disabled={entry !== null}
          maxLength={200}
          placeholder="contractors see no costs"
          value={name}
          onChange={(event) => setName(event.target.value)}
        />
        <label htmlFor="promise-who">For</label>
        {overAll ? (
          <span id="promise-who">everybody together</span>
        ) : (
          <Select
            id="promise-who"
            showSearch
            optionFilterProp="label"
            placeholder="whom"
            value={viewer}
            onChange={setViewer}
            options={who}
          />
        )}
        <label htmlFor="promise-kind">Must hold</label>
        <Select id="promise-kind" showSearch optionFilterProp="label" listHeight={340} value={kind} onChange={choose} options={KINDS} />
        {must.rows && (
          <>
            <label htmlFor="promise-table">Table</label>
            <Select
              id="promise-table"
              showSearch
              value={must.rows.table || undefined}
              onChange={(table: string) => setMust({ rows: { ...must.rows, model: named, table } })}
              options={tables}
            />
            <label htmlFor="promise-where">Where</label>
            <Input
              id="promise-where"
              className="mono"
              placeholder="all rows; or a condition, area <> 'Eastmoor'"
              value={must.rows.where ?? ""}
              onChange={(event) => must.rows && setMust({ rows: { ...must.rows, where: event.target.value || null } })}
            />
            <label htmlFor="promise-bound">Are</label>
            <div className="row">
              <Select
                id="promise-bound"
                value={boundOf(must.rows)}
                onChange={(bound: Bound) => must.rows && setMust({ rows: bounded(must.rows, bound, numberOf(must.rows)) })}
                options={[
                  { value: "count", label: "exactly" },
                  { value: "at_least", label: "at least" },
                  { value: "at_most", label: "at most" },
                ]}
              />
              <InputNumber
                aria-label="How many rows"
                min={0}
                precision={0}
                value={numberOf(must.rows)}
                onChange={(value) => must.rows && setMust({ rows: bounded(must.rows, boundOf(must.rows), value ?? 0) })}
              />
            </div>
          </>
        )}
        {must.total && (
          <>
            <label htmlFor="promise-measure">Figure</label>
            <Select
              id="promise-measure"
              showSearch
              value={must.total.measure || undefined}
              onChange={(measure: string) => must.total && setMust({ total: { ...must.total, model: named, measure } })}
              options={measures}
            />
            <label htmlFor="promise-total-where">Where</label>
            <Input
              id="promise-total-where"
              className="mono"
              placeholder="over all; or a condition"
              value={must.total.where ?? ""}
              onChange={(event) => must.total && setMust({ total: { ...must.total, where: event.target.value || null } })}
            />
            <label htmlFor="promise-equals">Is</label>
            <InputNumber
              id="promise-equals"
              placeholder="nothing"
              value={must.total.equals}
              onChange={(value) => must.total && setMust({ total: { ...must.total, equals: value } })}
            />
          </>
        )}
        {(["hidden", "visible"] as const).map(
          (side) =>
            must[side] && (
              <div key={side} className="promise-row">
                <label htmlFor={`promise-${side}`}>Objects</label>
                <Select
                  id={`promise-${side}`}
                  mode="tags"
                  placeholder="tables, columns, measures, or tag:…"
                  value={must[side]?.objects ?? []}
                  onChange={(chosen: string[]) => setMust({ [side]: { model: named, objects: chosen } })}
                  options={objects.map((value) => ({ value }))}
                />
              </div>
            ),
        )}
        {must.pages &&
          (["can_open", "cannot_open"] as const).map((side) => (
            <div key={side} className="promise-row">
              <label htmlFor={`promise-${side}`}>{side === "can_open" ? "Can open" : "Cannot open"}</label>
              <Select
                id={`promise-${side}`}
                mode="multiple"
                optionFilterProp="label"
                value={must.pages?.[side] ?? []}
                onChange={(chosen: string[]) => setMust({ pages: { ...must.pages, [side]: chosen } })}
                options={pageChoices}
              />
            </div>
          ))}
        {must.values && (
          <>
            <label htmlFor="promise-column">Column</label>
            <Select
              id="promise-column"
              showSearch
              value={must.values.column || undefined}
              onChange={(column: string) => must.values && setMust({ values: { ...must.values, model: named, column } })}
              options={columns.map((value) => ({ value }))}
            />
            <label htmlFor="promise-shown">Shows</label>
            <div className="row">
              <Select
                id="promise-shown"
                value={shownOf(must.values)}
                onChange={(side: Shown) => must.values && setMust({ values: showing(must.values, side, listOf(must.values)) })}
                options={[
                  { value: "only", label: "only" },
                  { value: "includes", label: "all of" },
                  { value: "excludes", label: "none of" },
                ]}
              />
              <Select
                aria-label="Values"
                className="grow"
                mode="tags"
                open={false}
                placeholder="values, each with Enter"
                value={listOf(must.values).map(String)}
                onChange={(chosen: string[]) => must.values && setMust({ values: showing(must.values, shownOf(must.values), chosen) })}
              />
            </div>
          </>
        )}
        <OverAllFields
          must={must}
          set={setMust}
          model={named}
          offered={{ tables, columns: columns.map((value) => ({ value, label: value })), measures, pages: pageChoices }}
          people={some}
        />
        {must.same_as && (
          <>
            <label htmlFor="promise-same">As</label>
            <Select
              id="promise-same"
              showSearch
              optionFilterProp="label"
              value={typeof must.same_as.viewer === "string" ? must.same_as.viewer : undefined}
              onChange={(login: string) => setMust({ same_as: { viewer: login } })}
              options={(people.data?.people ?? []).map((person) => ({ value: person.login, label: `${person.name} · ${person.login}` }))}
            />
          </>
        )}
      </div>
      <p className="above-6">
        <Button disabled={!ready} loading={tried.isPending} onClick={() => tried.mutate()}>
          Try it
        </Button>
      </p>
      {tried.data && (
        <Notice kind={tried.data.draft.kept ? "good" : "careful"}>
          Draft: {tried.data.draft.kept ? "kept" : "broken"}, {tried.data.draft.message}. Live: {tried.data.live.kept ? "kept" : "broken"},{" "}
          {tried.data.live.message}.
        </Notice>
      )}
      {error && <Notice kind="bad">{error instanceof ApiError ? error.message : "This could not be kept."}</Notice>}
    </Modal>
  );
}

function emptyMust(kind: Kind, model: string): Must {
  switch (kind) {
    case "rows":
      return { rows: { model, table: "", count: 0 } };
    case "total":
      return { total: { model, measure: "", equals: null } };
    case "values":
      return { values: { model, column: "", only: [] } };
    case "hidden":
      return { hidden: { model, objects: [] } };
    case "visible":
      return { visible: { model, objects: [] } };
    case "pages":
      return { pages: { can_open: [], cannot_open: [] } };
    case "same_as":
      return { same_as: { viewer: "" } };
    case "nothing":
      return { nothing: true };
    case "only":
      return { only: { subject: emptySubject("rows", model), people: [] } };
    case "never_both":
      return { never_both: [emptySubject("rows", model), emptySubject("rows", model)] };
    case "adds_up":
      return { adds_up: { model, measure: "", viewers: [] } };
    case "covers":
      return { covers: { model, measure: "", viewers: [] } };
  }
}

const withModel = (must: Must, model: string): Must =>
  must.rows ? { rows: { ...must.rows, model } } : must.total ? { total: { ...must.total, model } } : must;

/** The model a promise is about; none where it is about pages only, or about several. */
function modelOf({ rows, total, values, hidden, visible, adds_up, covers, only, never_both }: Must): string | undefined {
  const subjects = [...(only ? [only.subject] : []), ...(never_both ?? [])].flatMap((item) => [item.rows, item.column, item.measure]);
  return [rows, total, values, hidden, visible, adds_up, covers, ...subjects].find((item) => item?.model)?.model;
}

type Rows = NonNullable<Must["rows"]>;
const boundOf = (rows: Rows): Bound => (rows.at_least != null ? "at_least" : rows.at_most != null ? "at_most" : "count");
const numberOf = (rows: Rows): number => rows.count ?? rows.at_least ?? rows.at_most ?? 0;
const bounded = (rows: Rows, bound: Bound, value: number): Rows => ({
  model: rows.model,
  table: rows.table,
  where: rows.where,
  [bound]: value,
});

type Values = NonNullable<Must["values"]>;
const shownOf = (values: Values): Shown => (values.includes ? "includes" : values.excludes ? "excludes" : "only");
const listOf = (values: Values) => values.only ?? values.includes ?? values.excludes ?? [];
const showing = (values: Values, side: Shown, list: (string | number | boolean)[]): Values => ({
  model: values.model,
  column: values.column,
  [side]: list,
});

function whoKey({ viewer, viewers }: PromiseShape): string {
  if (viewers) return viewers === "everyone" ? "everyone" : peopleKey(viewers);
  return typeof viewer === "string" ? `user:${viewer}` : "as written";
}

function whoOf(key: string | undefined, old: PromiseShape | null | undefined): Pick<PromiseShape, "viewer" | "viewers"> {
  if (key === "everyone") return { viewer: null, viewers: "everyone" };
  if (key?.startsWith("user:")) return { viewer: key.slice(5), viewers: null };
  if (key && key !== "as written") return { viewer: null, viewers: peopleOfKey(key) };
  return { viewer: old?.viewer ?? null, viewers: old?.viewers ?? null };
}
