import { useQuery } from "@tanstack/react-query";
import { App, Button, Select } from "antd";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { Notice } from "../../ui/Notice";
import { Scroll } from "../../ui/Scroll";
import { DoorKeys } from "./DoorKeys";
import { lineFor, PROGRAMS, type Program } from "./lines";

type OwnModel = Schemas["OwnModel"];

/** How programs ask in one's name: keys of the query door, what exists for oneself by the names SQL has, and lines to copy. */
export function Connect({ login }: { login: string }) {
  const { message } = App.useApp();
  const door = useQuery(queries.ownDoor());
  const [program, setProgram] = useState<Program | null>(null);
  const models = useQuery(queries.myModels());
  const [chosen, setChosen] = useState<string | null>(null);
  const relations = (models.data?.models ?? []).flatMap((model) => model.tables.map((table) => ({ model, table })));
  const names = relations.map(({ model, table }) => `${model.name}.${table.name}`);
  const at = chosen && names.includes(chosen) ? names.indexOf(chosen) : firstWithMeasures(relations);
  const relation = relations[at];
  const open = door.data?.open === true && door.data.allowed;
  const used = program ?? (open ? "psql" : "http");
  const latest = door.data?.keys.at(-1)?.name;
  const atDoor = {
    host: window.location.hostname,
    port: door.data?.port ?? 0,
    user: latest ? `${login}/${latest}` : login,
    encrypted: door.data?.encrypted === true,
  };
  const line = relation ? lineFor(used, statement(relation.model, relation.table), atDoor, window.location.origin) : "";
  const copy = () =>
    navigator.clipboard.writeText(line).then(
      () => message.success("Copied."),
      () => message.error("The browser does not let this page copy; select the line instead."),
    );
  return (
    <section aria-label="Ask from elsewhere">
      <h3>Ask from elsewhere</h3>
      <p className="soft small">
        Programs ask as you: SQL clients with a door key, others over HTTP with a token (scope <code>read</code>). They get what you see,
        and name what exists for you.
      </p>
      {door.data && <DoorKeys door={door.data} />}
      {models.isError && <Notice kind="bad">{models.error.message}</Notice>}
      {models.data && !relation && <p className="soft">Nothing exists for you yet: once a role opens a model, its tables stand here.</p>}
      {relation && (
        <>
          <p className="row wrap">
            <Select
              showSearch
              aria-label="Relation"
              className="least-180"
              popupMatchSelectWidth={false}
              value={names[at]}
              onChange={setChosen}
              options={names.map((name) => ({ value: name, label: name }))}
            />
            <span className="soft small">
              {relation.table.columns.length} columns, {lookedUp(relation.model, relation.table).length} of lookups,{" "}
              {ownMeasures(relation.model, relation.table).length} measures
            </span>
          </p>
          <Scroll label="What exists of it" className="scroll own-relation">
            <table className="data">
              <thead>
                <tr>
                  <th>name</th>
                  <th>kind</th>
                  <th>called</th>
                </tr>
              </thead>
              <tbody>
                {fields(relation.model, relation.table).map((field) => (
                  <tr key={`${field.kind}${field.name}`}>
                    <td>
                      <code>{field.name}</code>
                    </td>
                    <td className="soft">{field.kind === "measure" ? "measure" : field.type}</td>
                    <td>{field.label}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </Scroll>
          <p className="row wrap above-6">
            <label htmlFor="asking-program">Asked from</label>
            <Select
              id="asking-program"
              className="least-180"
              popupMatchSelectWidth={false}
              value={used}
              onChange={setProgram}
              options={PROGRAMS.map((item) => ({ ...item, disabled: item.value !== "http" && !open }))}
            />
            <Button size="small" onClick={() => void copy()}>
              Copy
            </Button>
          </p>
          <pre className="copied mono" data-testid="connect-line">
            {line}
          </pre>
        </>
      )}
    </section>
  );
}

type Field = { name: string; kind: "column" | "measure"; type: string; label: string };

const ownMeasures = (model: OwnModel, table: OwnModel["tables"][number]) => model.measures.filter((item) => item.table === table.name);

/** The columns of lookups, under the names a relation has them. */
function lookedUp(model: OwnModel, table: OwnModel["tables"][number]): Field[] {
  return model.tables
    .filter((item) => table.lookups.includes(item.name))
    .flatMap((item) =>
      item.columns.map((column) => ({
        name: `${item.name}.${column.name}`,
        kind: "column" as const,
        type: column.type,
        label: column.label,
      })),
    );
}

function fields(model: OwnModel, table: OwnModel["tables"][number]): Field[] {
  const own: Field[] = table.columns.map((column) => ({ name: column.name, kind: "column", type: column.type, label: column.label }));
  const columns = [...own, ...lookedUp(model, table)];
  const taken = new Set(columns.map((item) => item.name));
  const measures = ownMeasures(model, table).map((item) => ({
    name: taken.has(item.name) ? `${item.name}_measure` : item.name,
    kind: "measure" as const,
    type: "",
    label: item.label,
  }));
  // Measures stand before the columns of lookups here: they are what one looks for.
  return [...own, ...measures, ...columns.slice(own.length)];
}

/** A first statement over a relation: a measure by a column of text, or a few rows. */
function statement(model: OwnModel, table: OwnModel["tables"][number]): string {
  const all = fields(model, table);
  const quoted = (name: string) => (/^[a-z_][a-z0-9_]*$/.test(name) ? name : `"${name}"`);
  const from = `${quoted(model.name)}.${quoted(table.name)}`;
  const measure = all.find((item) => item.kind === "measure");
  const by = all.find((item) => item.kind === "column" && item.type === "text");
  if (measure && by) return `SELECT ${quoted(by.name)}, ${quoted(measure.name)} FROM ${from} GROUP BY 1`;
  return `SELECT * FROM ${from} LIMIT 5`;
}

function firstWithMeasures(relations: { model: OwnModel; table: OwnModel["tables"][number] }[]): number {
  const found = relations.findIndex(({ model, table }) => ownMeasures(model, table).length > 0);
  return Math.max(found, 0);
}
