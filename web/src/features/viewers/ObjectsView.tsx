import { useQuery } from "@tanstack/react-query";
import type { ModelAnswer, Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { objectSubject, type Subject, tableSubject } from "../../state/asking";
import { useWorkbench } from "../../state/workbench";
import { Notice } from "../../ui/Notice";
import { type Presence, PresenceTable } from "./PresenceTable";

type Objects = Schemas["ObjectsAnswer"] | null;

/** What exists for each viewer: tables with their columns, measures, hierarchies and cubes. */
export function ObjectsView({
  model,
  differing,
  setDiffering,
}: {
  model: ModelAnswer;
  differing: boolean;
  setDiffering: (on: boolean) => void;
}) {
  const bench = useWorkbench();
  const { document } = model;
  const asked = useQuery({
    ...queries.evaluated({
      state: bench.state,
      as_of: bench.day,
      viewers: bench.pins.map((pin) => pin.viewer),
      ask: [{ objects: { model: document.name } }],
    }),
    enabled: bench.pins.length > 0,
  });
  const found = (asked.data?.viewers ?? []).map((entry): Objects => {
    const answer = entry.answers[0];
    return answer && "hierarchies" in answer ? answer : null;
  });
  const line = (
    key: string,
    title: string,
    subject: Subject | null,
    has: (objects: Schemas["ObjectsAnswer"]) => boolean,
    indent = 0,
  ): Presence => ({
    key,
    title,
    subject,
    indent,
    there: found.map((objects) => (objects ? has(objects) : false)),
  });
  const lines = [
    ...(document.tables ?? []).flatMap((table) => [
      line(
        `table:${table.name}`,
        `table ${table.label ?? table.name}`,
        tableSubject(document.name, table.name),
        (objects) => table.name in objects.tables,
      ),
      ...(table.columns ?? []).map((column) =>
        line(
          `column:${table.name}.${column.name}`,
          column.label ?? column.name,
          objectSubject(document.name, "column", `${table.name}.${column.name}`, `${table.name} · ${column.name}`),
          (objects) => (objects.tables[table.name] ?? []).includes(column.name),
          1,
        ),
      ),
    ]),
    ...(document.measures ?? []).map((item) =>
      line(
        `measure:${item.name}`,
        `measure ${item.label ?? item.name}`,
        objectSubject(document.name, "measure", item.name, item.label ?? item.name),
        (objects) => objects.measures.includes(item.name),
      ),
    ),
    ...(document.hierarchies ?? []).map((item) =>
      line(
        `hierarchy:${item.name}`,
        `hierarchy ${item.label ?? item.name}`,
        { title: item.label ?? item.name, why: { model: document.name, object: `hierarchy:${item.name}` } },
        (objects) => objects.hierarchies.includes(item.name),
      ),
    ),
    ...(document.cubes ?? []).map((item) =>
      line(
        `cube:${item.name}`,
        `cube ${item.label ?? item.name}`,
        { title: item.label ?? item.name, why: { model: document.name, object: `cube:${item.name}` } },
        (objects) => objects.cubes.includes(item.name),
      ),
    ),
  ];
  return (
    <>
      {asked.isError && <Notice kind="bad">{asked.error.message}</Notice>}
      <PresenceTable
        label="Objects"
        what="object"
        lines={bench.pins.length > 0 && asked.data ? lines : []}
        differing={differing}
        setDiffering={setDiffering}
        busy={asked.isFetching}
        empty="Pin somebody to see what exists for them."
      />
    </>
  );
}
