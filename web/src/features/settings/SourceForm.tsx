import { useMutation } from "@tanstack/react-query";
import { App, Button, Checkbox, Input, InputNumber, Modal, Segmented, Select } from "antd";
import { useState } from "react";
import { ApiError, api, data, type Schemas } from "../../api/client";
import { useChanged } from "../../api/queries";
import { usePeople } from "../../state/directory";
import { Notice } from "../../ui/Notice";
import { SourceForEveryone } from "./SourceForEveryone";

type Source = Schemas["Source"];
type Kind = Source["kind"];

const KINDS: { value: Kind; label: string }[] = [
  { value: "postgres", label: "PostgreSQL" },
  { value: "duckdb", label: "DuckDB" },
  { value: "sqlite", label: "SQLite" },
  { value: "spark", label: "Spark Connect" },
];
const TLS: { value: NonNullable<Source["tls"]>; label: string }[] = [
  { value: "verified", label: "encrypted, and the server's certificate is checked" },
  { value: "required", label: "encrypted" },
  { value: "off", label: "not encrypted: on this machine only" },
];

/** A source to keep: where it is, how it is reached, how old its figures may be; tried before it is kept. */
export function SourceForm({ entry, close }: { entry: Schemas["SourceEntry"] | null; close: () => void }) {
  const changed = useChanged();
  const { message } = App.useApp();
  const [source, setSource] = useState<Source>(entry?.source ?? { name: "", kind: "postgres", host: "localhost", tls: "required" });
  const [secret, setSecret] = useState("");
  const [age, setAge] = useState<"minutes" | "marker">(entry?.source.marker ? "marker" : "minutes");
  const isFile = source.kind === "duckdb" || source.kind === "sqlite";
  const isSpark = source.kind === "spark";
  const told = (): Source =>
    isFile
      ? {
          ...source,
          ...(source.kind === "sqlite" ? { schema: null } : {}),
          host: null,
          port: null,
          database: null,
          user: null,
          marker: age === "marker" ? source.marker : null,
        }
      : { ...source, file: null, ...(isSpark ? { database: null, user: null } : {}), marker: age === "marker" ? source.marker : null };
  const people = usePeople();
  const [login, setLogin] = useState<string | null>(null);
  const byViewer = [source.file, source.database, source.schema].some((text) => text?.includes("{viewer."));
  const tried = useMutation({
    mutationFn: () =>
      data(api.POST("/api/sources/try", { body: { source: told(), secret: secret || null, login: byViewer ? login : null } })),
  });
  const everyone = useMutation({
    mutationFn: () => data(api.POST("/api/sources/everyone", { body: { source: told(), secret: secret || null, login: null } })),
  });
  const set = (change: Partial<Source>) => {
    setSource({ ...source, ...change });
    tried.reset();
    everyone.reset();
  };
  const save = useMutation({
    mutationFn: () => data(api.PUT("/api/sources", { body: { source: told(), secret: secret || null, version: entry?.version ?? null } })),
    onSuccess: async () => {
      await changed();
      message.success("Kept. Leave tables in it under Models.");
      close();
    },
  });
  const ready = source.name.trim() !== "" && (isFile ? Boolean(source.file) : Boolean(source.host && (isSpark || source.database)));
  const error = save.error ?? tried.error ?? everyone.error;
  const [relation, column] = [source.marker?.relation.join(".") ?? "", source.marker?.column ?? ""];
  return (
    <Modal
      open
      width={680}
      title={entry ? `The source ${entry.source.name}` : "A source"}
      okText="Keep it"
      okButtonProps={{ disabled: !ready, loading: save.isPending }}
      onOk={() => save.mutate()}
      onCancel={close}
    >
      <div className="source-form">
        <label htmlFor="source-name">Name</label>
        <Input
          id="source-name"
          autoFocus
          disabled={entry !== null}
          placeholder="warehouse"
          value={source.name}
          onChange={(event) => set({ name: event.target.value })}
        />
        <label htmlFor="source-label">Called</label>
        <Input id="source-label" value={source.label ?? ""} onChange={(event) => set({ label: event.target.value || null })} />
        <label htmlFor="source-about">About</label>
        <Input
          id="source-about"
          placeholder="what it holds, and for whom"
          value={source.about ?? ""}
          onChange={(event) => set({ about: event.target.value || null })}
        />
        <label htmlFor="source-kind">Kind</label>
        <Select
          id="source-kind"
          showSearch
          optionFilterProp="label"
          value={source.kind}
          onChange={(kind: Kind) => set({ kind })}
          options={KINDS}
        />
        {isFile ? (
          <>
            <label htmlFor="source-file">File</label>
            <Input
              id="source-file"
              className="mono"
              placeholder="warehouse.duckdb, below a folder named on the machine"
              value={source.file ?? ""}
              onChange={(event) => set({ file: event.target.value || null })}
            />
          </>
        ) : (
          <>
            <label htmlFor="source-host">Host</label>
            <div className="row">
              <Input
                id="source-host"
                className="mono grow"
                value={source.host ?? ""}
                onChange={(event) => set({ host: event.target.value || null })}
              />
              <label htmlFor="source-port">port</label>
              <InputNumber
                id="source-port"
                min={1}
                max={65_535}
                placeholder={isSpark ? "15002" : "5432"}
                value={source.port}
                onChange={(port) => set({ port })}
              />
            </div>
            {!isSpark && (
              <>
                <label htmlFor="source-database">Database</label>
                <Input
                  id="source-database"
                  className="mono"
                  value={source.database ?? ""}
                  onChange={(event) => set({ database: event.target.value || null })}
                />
                <label htmlFor="source-user">User</label>
                <Input
                  id="source-user"
                  className="mono"
                  autoComplete="off"
                  value={source.user ?? ""}
                  onChange={(event) => set({ user: event.target.value || null })}
                />
              </>
            )}
            <label htmlFor="source-secret">{isSpark ? "Token" : "Password"}</label>
            <Input.Password
              id="source-secret"
              autoComplete="new-password"
              placeholder={entry?.has_secret ? "left as it is; cleared where host, port, user or encryption changes" : "none"}
              value={secret}
              onChange={(event) => {
                setSecret(event.target.value);
                tried.reset();
              }}
            />
            <label htmlFor="source-tls">Connection</label>
            <Select
              id="source-tls"
              value={source.tls ?? "required"}
              onChange={(tls: NonNullable<Source["tls"]>) => set({ tls })}
              options={TLS}
            />
          </>
        )}
        {source.kind !== "sqlite" && (
          <>
            <label htmlFor="source-schema">Schema</label>
            <Input
              id="source-schema"
              className="mono"
              placeholder="of relations that are named without one"
              value={source.schema ?? ""}
              onChange={(event) => set({ schema: event.target.value || null })}
            />
          </>
        )}
        <span />
        <span className="soft small">
          {isFile ? "The file" : "Database and schema"} may hold a value of whoever asks, as <code>{"{viewer.region}"}</code>: then each
          reads a database of their own, and who has no value reads none.
        </span>
        <span>Figures</span>
        <div className="row wrap">
          <Segmented
            aria-label="How it is known that figures are old"
            value={age}
            onChange={(value) => setAge(value as "minutes" | "marker")}
            options={[
              { value: "minutes", label: "may be old" },
              { value: "marker", label: "as long as a marker is the same" },
            ]}
          />
          {age === "minutes" ? (
            <>
              <InputNumber
                aria-label="Minutes that figures may be old"
                min={0}
                max={10_080}
                precision={0}
                value={source.minutes ?? 10}
                onChange={(minutes) => set({ minutes: minutes ?? 10 })}
              />
              <span>minutes{source.minutes === 0 && ": asked anew each time"}</span>
            </>
          ) : (
            <>
              <Input
                aria-label="Relation of the marker"
                className="mono wide-220"
                placeholder="public.loads"
                value={relation}
                onChange={(event) => set({ marker: { relation: event.target.value.split("."), column } })}
              />
              <Input
                aria-label="Column of the marker"
                className="mono wide-120"
                placeholder="number"
                value={column}
                onChange={(event) => set({ marker: { relation: relation.split("."), column: event.target.value } })}
              />
            </>
          )}
        </div>
        {source.kind !== "spark" && (
          <>
            <span>Changes</span>
            <Checkbox id="source-writable" checked={source.writable ?? false} onChange={(event) => set({ writable: event.target.checked })}>
              rows may be changed there from here, by whoever keeps the model and is allowed by their own roles
            </Checkbox>
          </>
        )}
      </div>
      <div className="row wrap above-6">
        {byViewer && (
          <Select
            showSearch
            allowClear
            aria-label="Try it as"
            placeholder="as the first for whom it is set"
            className="wide-260"
            value={login}
            optionFilterProp="label"
            onChange={(next?: string) => {
              setLogin(next ?? null);
              tried.reset();
            }}
            options={people.data?.people.map((person) => ({ value: person.login, label: `${person.name} · ${person.login}` }))}
          />
        )}
        <Button disabled={!ready} loading={tried.isPending} onClick={() => tried.mutate()}>
          Try it
        </Button>
        {byViewer && (
          <Button disabled={!ready} loading={everyone.isPending} onClick={() => everyone.mutate()}>
            For whom would it fail?
          </Button>
        )}
      </div>
      {tried.data && (
        <Notice kind={!tried.data.reached ? "bad" : tried.data.tables.some((table) => table.differences.length > 0) ? "careful" : "good"}>
          {tried.data.message}
          {(tried.data.settings ?? []).map((item) => (
            <div key={item.attribute} className="small">
              <code>{`{viewer.${item.attribute}}`}</code> is {item.value === null ? <b>not set</b> : <code>{item.value}</code>}
              {item.value !== null && ` (${item.whence})`}
            </div>
          ))}
          {tried.data.reached && tried.data.relations.length > 0 && (
            <div className="small soft">
              {tried.data.relations
                .slice(0, 8)
                .map((item) => item.relation.join("."))
                .join(", ")}
              {tried.data.relations.length > 8 && ` and ${tried.data.relations.length - 8} more`}
            </div>
          )}
          {tried.data.tables.flatMap((table) =>
            table.differences.map((text) => (
              <div key={`${table.table} ${text}`}>
                {table.table}: {text}
              </div>
            )),
          )}
        </Notice>
      )}
      {everyone.data && <SourceForEveryone found={everyone.data} />}
      {error && <Notice kind="bad">{error instanceof ApiError ? error.message : "This could not be kept."}</Notice>}
    </Modal>
  );
}
