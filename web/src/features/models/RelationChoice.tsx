import { useQuery } from "@tanstack/react-query";
import { Select } from "antd";
import type { Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { Notice } from "../../ui/Notice";

export type Chosen = { source: string | null; relation: string[] | null };

/** A relation of a source: first the source, then what it holds. */
export function RelationChoice({ chosen, choose }: { chosen: Chosen; choose: (next: Chosen) => void }) {
  const sources = useQuery(queries.sources());
  const held = useQuery({ ...queries.relations(chosen.source ?? ""), enabled: chosen.source !== null });
  const written = (relation: string[]) => relation.join(".");
  return (
    <>
      <label htmlFor="place-source">Source</label>
      <Select
        id="place-source"
        showSearch
        optionFilterProp="label"
        placeholder="a source kept under Settings"
        value={chosen.source}
        onChange={(source: string) => choose({ source, relation: null })}
        options={(sources.data?.sources ?? []).map(({ source }) => ({ value: source.name, label: source.label ?? source.name }))}
      />
      <label htmlFor="place-relation">Table or view</label>
      <Select
        id="place-relation"
        showSearch
        optionFilterProp="label"
        disabled={chosen.source === null}
        loading={held.isFetching}
        placeholder="what the source holds"
        value={chosen.relation ? written(chosen.relation) : undefined}
        onChange={(name: string) =>
          choose({ ...chosen, relation: held.data?.relations.find((item) => written(item.relation) === name)?.relation ?? null })
        }
        options={(held.data?.relations ?? []).map((item) => ({
          value: written(item.relation),
          label: `${written(item.relation)}${item.kind === "view" ? " (view)" : ""}`,
        }))}
      />
      {sources.data?.sources.length === 0 && <Notice kind="careful">There is no source yet. Add one under Settings › Sources.</Notice>}
      {held.isError && <Notice kind="bad">{held.error.message}</Notice>}
    </>
  );
}

/** The columns of a relation, with the types they are read as. */
export function FoundColumns({
  columns,
  chosen,
  choose,
}: {
  columns: Schemas["FoundColumn"][];
  chosen: string[];
  choose: (names: string[]) => void;
}) {
  return (
    <Select
      mode="multiple"
      aria-label="Columns"
      value={chosen}
      onChange={choose}
      options={columns.map((column) => ({
        value: column.name,
        label: `${column.name} · ${column.type ?? `${column.native}, not read`}`,
        disabled: column.type === null,
      }))}
    />
  );
}
