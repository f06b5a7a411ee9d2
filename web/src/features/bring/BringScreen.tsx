import { useMutation, useQuery } from "@tanstack/react-query";
import { Button, Checkbox, Input, Radio, Select } from "antd";
import { useCallback, useState } from "react";
import { useNavigate } from "react-router-dom";
import { ApiError, api, data, type Schemas } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { useRoles } from "../../state/directory";
import { useWorkbench } from "../../state/workbench";
import { plural } from "../../ui/figures";
import { FilesStep } from "../../ui/files/FilesStep";
import {
  choicesOf,
  confirmedTable,
  faultOf,
  type RelationshipChoice,
  renamed,
  type Source,
  type TableChoice,
  usable,
} from "../../ui/files/sources";
import { Notice } from "../../ui/Notice";
import { TaskProgress } from "../../ui/TaskProgress";
import { RelationshipsStep } from "./RelationshipsStep";
import { TablesStep } from "./TablesStep";
import "./bring.css";

const STEPS = ["Files", "Tables", "Relationships", "Bring in"] as const;

/** Data comes in from files in four steps; nothing is kept before the last. */
export default function BringScreen() {
  const bench = useWorkbench();
  const navigate = useNavigate();
  const changed = useChanged();
  const roles = useRoles();
  const [step, setStep] = useState(0);
  const [sources, setSources] = useState<Source[]>([]);
  const [into, setInto] = useState<string | null>(null);
  const [name, setName] = useState("");
  const [label, setLabel] = useState("");
  const [tables, setTables] = useState<TableChoice[]>([]);
  const [relationships, setRelationships] = useState<RelationshipChoice[]>([]);
  const [quarantine, setQuarantine] = useState(true);
  const [task, setTask] = useState<string | null>(null);
  const [made, setMade] = useState<string | null>(null);
  const model = useQuery({ ...queries.model(into ?? "", "draft"), enabled: into !== null });
  const existing = model.data?.document.tables ?? [];
  const present = into ? existing.map((table) => table.name) : [];
  const rolesOnIt = roles.data?.roles.filter((entry) => entry.role.model === into).length ?? 0;

  const propose = useMutation({
    mutationFn: () =>
      data(
        api.POST("/api/proposals", {
          body: { model: into, sources: sources.map((source) => ({ upload: source.upload, reading: source.grid.reading })) },
        }),
      ),
    onSuccess: (proposal) => {
      setTables(choicesOf(proposal, sources));
      setRelationships(proposal.relationships);
      setStep(1);
    },
  });
  const bring = useMutation({
    mutationFn: () =>
      data(
        api.POST("/api/imports", {
          body: {
            model: into ?? name,
            label: into ? null : label || null,
            new_model: into === null,
            tables: tables.map(confirmedTable),
            relationships: usable(relationships, tables, existing).map((item) => ({ from: item.from, to: item.to })),
            quarantine: into !== null && rolesOnIt > 0 && quarantine,
          },
        }),
      ),
    onSuccess: (started) => setTask(started.id),
  });
  const changeTable = (index: number, next: TableChoice) => {
    const before = tables[index];
    setTables(tables.map((table, place) => (place === index ? next : table)));
    if (before)
      setRelationships(
        relationships.map((item) => ({ ...item, from: renamed(item.from, before, next), to: renamed(item.to, before, next) })),
      );
  };
  const finished = useCallback(
    async (ended: Schemas["TaskAnswer"]) => {
      if (ended.state !== "done") return;
      await changed("models", "data");
      setMade(ended.subject);
      bench.setModel(ended.subject);
    },
    [changed, bench.setModel],
  );

  const faults = tables.map((table) => faultOf(table, tables, present));
  const nameFault =
    into !== null
      ? null
      : name.trim() === ""
        ? "Give the model a name."
        : /[./]/.test(name)
          ? "A model's name has neither a point nor a slash."
          : bench.models.some((item) => item.name === name.trim())
            ? `There is a model ${name} already.`
            : null;
  const ready = [
    sources.length > 0 && sources.every((source) => !source.grid.refused && source.grid.headers.length > 0),
    faults.every((fault) => fault === null),
    true,
    nameFault === null,
  ][step];
  const error = propose.error ?? bring.error;

  const next = () => {
    if (step === 0) propose.mutate();
    else if (step === 3) bring.mutate();
    else setStep(step + 1);
  };

  return (
    <div className="bring">
      <header className="row wrap">
        <h2>Bring data in</h2>
        <ol className="steps">
          {STEPS.map((title, index) => (
            <li
              key={title}
              className={index === step ? "on" : index < step ? "past" : ""}
              aria-current={index === step ? "step" : undefined}
            >
              {index + 1} {title}
            </li>
          ))}
        </ol>
        <span className="grow" />
        {!task && (
          <>
            <Button onClick={() => (step === 0 ? navigate("/models") : setStep(step - 1))}>{step === 0 ? "Back to Models" : "Back"}</Button>
            <Button type="primary" disabled={!ready} loading={propose.isPending || bring.isPending} onClick={next}>
              {step === 0 ? "Look at what is in them" : step === 3 ? "Bring in" : "Go on"}
            </Button>
          </>
        )}
      </header>
      {error && (
        <Notice kind="bad">
          {error.message}
          {error instanceof ApiError &&
            error.problems.length > 1 &&
            error.problems.map((problem) => <div key={problem.message}>{problem.message}</div>)}
        </Notice>
      )}
      <div className="step">
        {step === 0 && (
          <>
            {bench.models.length > 0 && (
              <div className="row pad-around-0-0-8">
                <Radio.Group
                  value={into === null ? "new" : "into"}
                  onChange={(event) => setInto(event.target.value === "new" ? null : (bench.model ?? null))}
                  options={[
                    { value: "new", label: "a new model" },
                    { value: "into", label: "more tables for" },
                  ]}
                />
                {into !== null && (
                  <Select
                    aria-label="Model to add to"
                    className="least-180"
                    value={into ?? bench.model}
                    onChange={setInto}
                    options={bench.models.map((item) => ({ value: item.name, label: item.label }))}
                  />
                )}
                <span className="soft small">New content for a table that is there already is a refresh: open the table on the map.</span>
              </div>
            )}
            <FilesStep sources={sources} change={setSources} />
          </>
        )}
        {step === 1 && <TablesStep tables={tables} present={present} change={changeTable} />}
        {step === 2 && (
          <RelationshipsStep
            relationships={relationships}
            tables={tables}
            present={existing
              .filter((table) => !table.alias_of)
              .map((table) => ({ name: table.name, key: table.key ?? null, columns: (table.columns ?? []).map((column) => column.name) }))}
            change={setRelationships}
          />
        )}
        {step === 3 && !task && (
          <div className="pad most-640">
            {into === null ? (
              <>
                <div className="row fields">
                  <label htmlFor="model-name">Name of the model</label>
                  <Input
                    id="model-name"
                    className="mono wide-220"
                    value={name}
                    placeholder="operations"
                    onChange={(event) => setName(event.target.value)}
                  />
                  <label htmlFor="model-label">Label</label>
                  <Input
                    id="model-label"
                    className="wide-220"
                    value={label}
                    placeholder="Turbine operations"
                    onChange={(event) => setLabel(event.target.value)}
                  />
                </div>
                <p className="soft small">The name stays; roles and pages refer to it. The label can change.</p>
                {nameFault && name !== "" && <Notice kind="bad">{nameFault}</Notice>}
              </>
            ) : (
              <p>
                Into the model <b>{model.data?.document.label ?? into}</b>.
              </p>
            )}
            <h3>What comes in</h3>
            {tables.map((table) => (
              <p key={table.name}>
                <code>{table.name}</code> · {plural(table.columns.filter((column) => column.take).length, "column")}
                {table.key ? `, key ${table.key}` : ", no key"}
                {table.columns.some((column) => column.take && column.tags.length > 0) && (
                  <span className="soft">
                    , {plural(table.columns.filter((column) => column.take && column.tags.length > 0).length, "personal column")}
                  </span>
                )}
              </p>
            ))}
            <p>{plural(usable(relationships, tables, existing).length, "relationship")}</p>
            {into !== null && rolesOnIt > 0 && (
              <p>
                <Checkbox checked={quarantine} onChange={(event) => setQuarantine(event.target.checked)}>
                  Keep the new tables in quarantine until they are cleared: {plural(rolesOnIt, "role")} on this model would show them
                  otherwise.
                </Checkbox>
              </p>
            )}
            <p className="soft small">
              Models change in the draft. Viewers get the tables with the next release, and only where a role opens them.
            </p>
          </div>
        )}
        {task && (
          <div className="pad">
            <TaskProgress key={task} id={task} finished={(ended) => void finished(ended)} />
            {made ? (
              <div>
                <p>The data is here. What comes next:</p>
                <p className="row wrap">
                  <Button type="primary" onClick={() => navigate("/models")}>
                    Look at the map
                  </Button>
                  <Button onClick={() => navigate("/people")}>Bring people in</Button>
                  <Button onClick={() => navigate("/roles")}>Write a first role</Button>
                </p>
              </div>
            ) : (
              <Button onClick={() => setTask(null)}>Back to the steps</Button>
            )}
          </div>
        )}
      </div>
    </div>
  );
}
