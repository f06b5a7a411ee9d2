import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button, Form, type FormInstance, Input, Modal, Radio, Select } from "antd";
import { memo, useEffect, useMemo, useRef, useState } from "react";
import { Link, NavLink, useLocation, useNavigate, useParams } from "react-router-dom";
import { ApiError, api, data, type Role, type RoleEntry } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { useTellEdited } from "../../state/asking";
import { useRoles } from "../../state/directory";
import { useRights } from "../../state/rights";
import { useModel, useWorkbench } from "../../state/workbench";
import { defaultColumn } from "../../ui/defaultColumn";
import { Empty, Notice } from "../../ui/Notice";
import { decidedTable, finishedPart } from "../../ui/sentences/sentence";
import { suggestedName } from "../../ui/suggestedName";
import { useUnsaved } from "../../ui/unsaved";
import { roleEdits } from "../../ui/unsavedEdits";
import { useOpenFirst } from "../../ui/useOpenFirst";
import { EffectPanel, type Tab } from "./EffectPanel";
import type { TotalsChoice } from "./EffectTotals";
import { opensOf } from "./opens";
import { RoleEditor } from "./RoleEditor";
import { RolesReader } from "./RolesReader";
import { Similar } from "./Similar";
import { type Mode, useEffectOf, viewersFor } from "./useEffectOf";
import "./roles.css";
import "../../ui/sentences/sentences.css";

/** The bench for who writes roles; for all others what they say, who holds them and whom they are mapped to. */
export default function RolesScreen() {
  const { may } = useRights();
  return may("roles") ? <Bench /> : <RolesReader />;
}

const NO_ROLES: RoleEntry[] = [];

/** A list of names that is the same object for as long as its names are. */
function useSameList(names: string[]): string[] {
  const written = JSON.stringify(names);
  return useMemo(() => JSON.parse(written) as string[], [written]);
}

/** The bench: a role is written beside its effect. */
function Bench() {
  const { role: wanted } = useParams();
  const navigate = useNavigate();
  const bench = useWorkbench();
  const roles = useRoles();
  const model = useModel("draft");
  const edits = useUnsaved(roleEdits);
  const location = useLocation();
  const [creating, setCreating] = useState<Role | null>((location.state as { create?: Role } | null)?.create ?? null);
  const [mode, setMode] = useState<Mode>("all");
  const [chosenTable, setTable] = useState<string | null>(null);
  const [tab, setTab] = useState<Tab>("rows");
  const [chosenTotals, setTotals] = useState<TotalsChoice | null>(null);

  const entries = roles.data?.roles ?? NO_ROLES;
  const lists = useMemo(() => {
    const here = entries.filter((item) => item.role.model === bench.model || !item.role.model);
    return { grant: here.filter((item) => item.role.kind === "grant"), limit: here.filter((item) => item.role.kind === "limit") };
  }, [entries, bench.model]);
  const unsaved = useSameList(entries.map((item) => item.role.name).filter(edits.has));
  const entry = entries.find((item) => item.role.name === wanted);
  const edit = wanted ? edits.get(wanted) : undefined;
  const role = edit?.now ?? entry?.role ?? null;
  const dirty = edit !== undefined;
  const setEdited = useTellEdited();
  const unsavedRole = edit?.now;
  useEffect(() => {
    setEdited(unsavedRole && wanted ? [{ ...finishedPart(unsavedRole).role, name: wanted }] : []);
    return () => setEdited([]);
  }, [unsavedRole, wanted, setEdited]);

  const ofModel = entries.filter((item) => item.role.model === bench.model);
  const narrows = (item: RoleEntry) => item.role.sentences?.some((sentence) => sentence.rows || sentence.entitlement || sentence.members);
  // Never a role of another model: the switcher would follow it, and a first role of this model could not be written.
  useOpenFirst("/roles", (ofModel.find(narrows) ?? ofModel[0] ?? (bench.model ? undefined : entries[0]))?.role.name);

  // A role opened by its address brings its model along; switching the model leaves a role of another one.
  const shownRole = useRef<string | undefined>(undefined);
  const itsModel = entry?.role.model;
  useEffect(() => {
    // Where roles are known before models are, nothing is shown of it yet.
    if (!itsModel || !bench.model || itsModel === bench.model) shownRole.current = itsModel && bench.model ? wanted : undefined;
    else if (shownRole.current === wanted) navigate("/roles");
    else bench.setModel(itsModel);
  }, [itsModel, bench.model, bench.setModel, wanted, navigate]);

  const tables = model.data?.document.tables ?? [];
  const restricted = role?.sentences?.map((sentence) => decidedTable(sentence, model.data)).find((name) => name !== null);
  const table = tables.some((item) => item.name === chosenTable) ? chosenTable : (restricted ?? tables[0]?.name ?? null);
  const key = tables.find((item) => item.name === table)?.key ?? undefined;
  const viewers = viewersFor(
    bench.pins.map((pin) => pin.viewer),
    mode,
    entry?.role.name ?? "",
  );
  const measures = model.data?.document.measures ?? [];
  const measure =
    measures.find((item) => item.name === chosenTotals?.measure) ?? measures.find((item) => item.table === table) ?? measures[0];
  const totals: TotalsChoice | null =
    measure && model.data
      ? { measure: measure.name, by: chosenTotals?.measure === measure.name ? chosenTotals.by : defaultColumn(model.data, measure.name) }
      : null;
  const stored = entry?.role.name;
  const edited = useMemo(() => (role && stored !== undefined ? { ...role, name: stored } : null), [role, stored]);
  const effect = useEffectOf(bench.model, edited, viewers, {
    table,
    key,
    // Totals are asked for while they are looked at: each keystroke waits for nothing that is not on screen.
    totals: totals && tab === "totals" ? { model: bench.model ?? "", by: [totals.by], measures: [totals.measure] } : null,
  });

  if (roles.isPending) return <div className="pad soft">Opening…</div>;
  if (roles.isError) return <Notice kind="bad">{roles.error.message}</Notice>;
  const gone = wanted !== undefined && !entry;
  const modelLabel = bench.models.find((item) => item.name === bench.model)?.label;

  return (
    <div className="bench">
      <div>
        <RoleList title="Grant" does="open" entries={lists.grant} unsaved={unsaved} />
        <RoleList title="Limit" does="narrow" entries={lists.limit} unsaved={unsaved} />
        <p className="row wrap above-14">
          <button
            type="button"
            className="textlink"
            onClick={() => setCreating({ name: "", kind: "grant", model: bench.model, sentences: [] })}
          >
            + New role
          </button>
          <button
            type="button"
            className="textlink"
            disabled={!role}
            onClick={() =>
              role && setCreating({ ...role, name: `${role.name}-copy`, label: role.label ? `${role.label} (copy)` : null, assigned: [] })
            }
          >
            Copy
          </button>
        </p>
        <p className="above-8">
          <Link className="textlink" to={`/combine${wanted ? `?roles=${encodeURIComponent(wanted)}` : ""}`}>
            Combine roles…
          </Link>
        </p>
        <Similar wanted={entries.length > 1} />
        <Deleted entries={roles.data.deleted} />
      </div>
      <div>
        {bench.state === "live" && (
          <Notice kind="careful">
            You are looking at live. Roles are written in the draft, and the bench shows the draft.{" "}
            <button type="button" className="textlink" onClick={() => bench.setState("draft")}>
              Back to the draft
            </button>
          </Notice>
        )}
        {gone && edit && (
          <Notice kind="bad">
            This role was deleted or renamed elsewhere. Your unsaved edit is kept here.{" "}
            <button
              type="button"
              className="textlink"
              onClick={() => setCreating({ ...edit.now, name: `${edit.now.name}-again`, assigned: [] })}
            >
              Save it as a new role
            </button>{" "}
            or{" "}
            <button
              type="button"
              className="textlink"
              onClick={() => {
                edits.discard(wanted);
                navigate("/roles");
              }}
            >
              discard it
            </button>
            .
          </Notice>
        )}
        {gone && !edit && (
          <Empty title={`There is no role ${wanted}`}>
            <p>It may have been renamed or deleted. Choose another on the left.</p>
          </Empty>
        )}
        {!role && !gone && (
          <Empty title={entries.length > 0 && modelLabel ? `No roles on ${modelLabel} yet` : "No roles yet"}>
            <p>A role opens data (grant) or narrows it (limit). Start with a grant role and one rows sentence.</p>
            <Button type="primary" onClick={() => setCreating({ name: "", kind: "grant", model: bench.model, sentences: [] })}>
              New role
            </Button>
          </Empty>
        )}
        {role && entry && <RoleEditor key={entry.role.name} entry={entry} role={role} edits={edits} model={model.data} effect={effect} />}
      </div>
      <div>
        {role && entry && model.isError && <Notice kind="bad">{model.error.message}</Notice>}
        {role && entry && (
          <EffectPanel
            model={model.data}
            entry={entry}
            role={role}
            dirty={dirty}
            mode={mode}
            setMode={setMode}
            table={table}
            setTable={setTable}
            tab={tab}
            setTab={setTab}
            totals={totals}
            setTotals={setTotals}
            effect={effect}
          />
        )}
      </div>
      {creating && <NewRole start={creating} close={() => setCreating(null)} />}
    </div>
  );
}

/** Drawn anew where a role is another or is edited, not with each letter. */
const RoleList = memo(function RoleList({
  title,
  does,
  entries,
  unsaved,
}: {
  title: string;
  does: string;
  entries: RoleEntry[];
  /** The roles with an edit that is not saved, by name. */
  unsaved: string[];
}) {
  return (
    <>
      <h2 className="as-h3" style={title === "Grant" ? { marginTop: 2 } : undefined}>
        {title} <span className="aside">— {does}</span>
      </h2>
      {entries.map((entry) => (
        <NavLink
          key={entry.role.name}
          to={`/roles/${encodeURIComponent(entry.role.name)}`}
          className={({ isActive }) => `side-line ${isActive ? "on" : ""}`}
        >
          <span className="cut" title={entry.role.label ?? entry.role.name}>
            {entry.role.label ?? entry.role.name}
          </span>
          {unsaved.includes(entry.role.name) ? (
            <span className="unsaved" title="unsaved edit" role="img" aria-label="unsaved edit">
              ●
            </span>
          ) : null}
          <span className="n" title="people who hold it">
            {entry.people}
          </span>
        </NavLink>
      ))}
      {entries.length === 0 && <p className="soft small">none</p>}
    </>
  );
});

const Deleted = memo(function Deleted({ entries }: { entries: { name: string; label: string }[] }) {
  const changed = useChanged();
  const { message } = App.useApp();
  const restore = useMutation({
    mutationFn: (name: string) => data(api.POST("/api/roles/{name}/restore", { params: { path: { name } } })),
    onSuccess: () => changed("roles"),
    onError: (error) => message.error(error.message),
  });
  if (entries.length === 0) return null;
  return (
    <>
      <h2 className="as-h3">
        Deleted <span className="aside">— live until released</span>
      </h2>
      {entries.map((entry) => (
        <div key={entry.name} className="side-line soft">
          <s className="cut">{entry.label}</s>
          <button type="button" className="textlink small push" onClick={() => restore.mutate(entry.name)}>
            restore
          </button>
        </div>
      ))}
    </>
  );
});

/** What stands for no model in the choice of one. */
const PAGES_ONLY = "";

type NewRoleValues = { label: string; name: string; kind: Role["kind"]; model: string };

function NewRole({ start, close }: { start: Role; close: () => void }) {
  const changed = useChanged();
  const navigate = useNavigate();
  const bench = useWorkbench();
  const [form] = Form.useForm<NewRoleValues>();
  const copying = (start.sentences ?? []).length > 0 && start.name !== "";
  const create = useMutation({
    mutationFn: (values: NewRoleValues) =>
      data(api.POST("/api/roles", { body: { role: { ...start, ...values, label: values.label || null, model: values.model || null } } })),
    onSuccess: async (made) => {
      await changed("roles");
      navigate(`/roles/${encodeURIComponent(made.role.name)}`);
      close();
    },
  });
  return (
    <Modal
      open
      title={copying ? "Copy the role as…" : (start.sentences ?? []).length > 0 ? "A role that opens just these rows" : "New role"}
      onCancel={close}
      okText="Create in the draft"
      onOk={() => form.submit()}
      okButtonProps={{ loading: create.isPending }}
    >
      <Form
        form={form}
        layout="vertical"
        requiredMark={false}
        initialValues={{ label: start.label ?? "", name: start.name, kind: start.kind, model: start.model ?? PAGES_ONLY }}
        onFinish={(values) => create.mutate(values)}
        onValuesChange={(changed: { label?: string }) => {
          if (changed.label !== undefined && !form.isFieldTouched("name"))
            form.setFields([{ name: "name", value: suggestedName(changed.label), touched: false }]);
        }}
      >
        <Form.Item label="What people call it" name="label">
          <Input autoFocus placeholder="Area steward" />
        </Form.Item>
        <Form.Item label="Name" name="name" rules={[{ required: true, message: "A role needs a name." }]}>
          <Input className="mono" placeholder="area-steward" />
        </Form.Item>
        {!copying && (
          <Form.Item label="Of" name="model">
            <Select
              showSearch
              aria-label="Of which model"
              optionFilterProp="label"
              options={[
                ...bench.models.map((item) => ({ value: item.name, label: `the model ${item.label}` })),
                { value: PAGES_ONLY, label: "pages only, no model" },
              ]}
            />
          </Form.Item>
        )}
        <Form.Item label="Kind" name="kind">
          <Radio.Group
            options={[
              { value: "grant", label: "grant: opens data" },
              { value: "limit", label: "limit: narrows what grants open" },
            ]}
          />
        </Form.Item>
      </Form>
      {!copying && <OpensAtFirst form={form} models={bench.models} />}
      {create.isError && (
        <Notice kind="bad">{create.error instanceof ApiError ? create.error.message : "The role could not be created."}</Notice>
      )}
    </Modal>
  );
}

/** A grant role opens all of its model until a sentence says otherwise: said before it is made. */
function OpensAtFirst({ form, models }: { form: FormInstance<NewRoleValues>; models: { name: string; label: string }[] }) {
  const kind = Form.useWatch("kind", form);
  const model = Form.useWatch("model", form);
  const document = useQuery({ ...queries.model(model || "", "draft"), enabled: Boolean(model) });
  if (model === undefined || kind === undefined) return null;
  if (!model) return <p className="soft small">It opens no data, only the pages its sentences name.</p>;
  const label = models.find((item) => item.name === model)?.label ?? model;
  if (kind === "limit") return <p className="soft small">It narrows nothing until a sentence says what.</p>;
  return (
    <p className="soft small">
      Until a sentence narrows it, it opens every row of {label}
      {document.data && `: ${opensOf(document.data)}`}.
    </p>
  );
}
