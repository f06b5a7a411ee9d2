import type { Schemas } from "../../api/client";
import { splitName } from "../fullNames";

export type Reading = Schemas["FileReading"];
export type Grid = Schemas["GridAnswer"];

/** A file (or one sheet of it) that is to become a table. */
export type Source = { key: string; upload: string; name: string; size: number; grid: Grid };

export type Confirmed = Schemas["ConfirmedTable"];
export type Proposal = Schemas["Proposal"];
export type ProposedColumn = Schemas["ProposedColumn"];

/** A column while it is confirmed: what was proposed, and what somebody made of it. */
export type ColumnChoice = {
  proposed: ProposedColumn;
  take: boolean;
  name: string;
  type: ProposedColumn["type"];
  spelling: NonNullable<ProposedColumn["spelling"]>;
  blanks: string[];
  tags: string[];
};

/** A table while it is confirmed. */
export type TableChoice = {
  source: Source;
  name: string;
  label: string;
  key: string | null;
  keyEvidence: string;
  rows: number;
  whole: boolean;
  columns: ColumnChoice[];
};

export type RelationshipChoice = Schemas["ProposedRelationship"] & { added?: boolean };

export const PERSONAL = "personal";

export function choicesOf(proposal: Proposal, sources: Source[]): TableChoice[] {
  return proposal.tables.flatMap((table, index) => {
    const source = sources[index];
    if (!source) return [];
    return [
      {
        source,
        name: table.name,
        label: table.label,
        key: table.key ?? null,
        keyEvidence: table.key_evidence,
        rows: table.rows,
        whole: table.whole,
        columns: table.columns.map((column) => ({
          proposed: column,
          take: !column.unusable,
          name: column.name,
          type: column.type,
          spelling: column.spelling ?? "plain",
          blanks: column.blanks ?? [],
          tags: column.sensitive ? [PERSONAL] : [],
        })),
      },
    ];
  });
}

export function confirmedTable(table: TableChoice): Confirmed {
  return {
    upload: table.source.upload,
    reading: table.source.grid.reading,
    name: table.name,
    label: table.label || null,
    key: table.key,
    columns: table.columns
      .filter((column) => column.take)
      .map((column) => ({
        position: column.proposed.position,
        name: column.name,
        label: column.proposed.header && column.proposed.header !== column.name ? column.proposed.header : null,
        type: column.type,
        spelling: column.spelling,
        blanks: column.blanks,
        tags: column.tags,
      })),
  };
}

/** What is wrong with a table as it is confirmed so far; null where nothing is. */
export function faultOf(table: TableChoice, others: TableChoice[], present: string[]): string | null {
  const taken = table.columns.filter((column) => column.take);
  if (!table.name.trim()) return "The table needs a name.";
  if (/[./]/.test(table.name)) return "A table's name has neither a point nor a slash.";
  if (present.includes(table.name)) return `The model has a table ${table.name} already. Choose another name, or refresh that table.`;
  if (others.some((other) => other !== table && other.name === table.name)) return `Two tables are named ${table.name}.`;
  if (taken.length === 0) return "Take at least one column.";
  const names = taken.map((column) => column.name);
  const twice = names.find((name, index) => names.indexOf(name) !== index);
  if (twice) return `Two columns are named ${twice}.`;
  if (names.some((name) => !name.trim())) return "Every column needs a name.";
  if (table.key && !names.includes(table.key)) return `The key ${table.key} is not among the columns taken.`;
  return null;
}

export function size(bytes: number): string {
  return bytes < 1e6
    ? `${Math.max(1, Math.round(bytes / 1e3)).toLocaleString("en-GB")} kB`
    : `${(bytes / 1e6).toLocaleString("en-GB", { maximumFractionDigits: 1 })} MB`;
}

/** A column's full name after its table or itself was renamed. */
export function renamed(full: string, before: TableChoice, after: TableChoice): string {
  const [table, column] = splitName(full);
  if (table !== before.name) return full;
  const place = before.columns.findIndex((item) => item.name === column);
  return `${after.name}.${after.columns[place]?.name ?? column}`;
}

/** The chosen relationships whose ends are still taken. */
export function usable(relationships: RelationshipChoice[], tables: TableChoice[], existing: Schemas["Table"][]): RelationshipChoice[] {
  const columns = new Set([
    ...tables.flatMap((table) => table.columns.filter((column) => column.take).map((column) => `${table.name}.${column.name}`)),
    ...existing.flatMap((table) => (table.columns ?? []).map((column) => `${table.name}.${column.name}`)),
  ]);
  const keys = new Set([...tables.map((table) => `${table.name}.${table.key}`), ...existing.map((table) => `${table.name}.${table.key}`)]);
  return relationships.filter((item) => item.chosen && columns.has(item.from) && keys.has(item.to));
}
