import type { Clause, Group, Model } from "../../api/client";

export const KEYWORDS = new Set(
  "AND OR NOT IN BETWEEN LIKE ESCAPE IS NULL TRUE FALSE CASE WHEN THEN ELSE END CAST AS DATE TIMESTAMP INTERVAL EXTRACT FROM CURRENT_DATE DISTINCT SELECT FOR".split(
    " ",
  ),
);

export type Part = Clause | Group;

export function isGroup(part: Part): part is Group {
  return "joined" in part;
}

/** What a clause can be about: a column, or a property of the page (table `page`) or of the viewer (table `viewer`). */
export type Subject = {
  table: string;
  column: string;
  type: string;
  /** A set, such as the groups of the viewer: a clause says that a value is in it. */
  many: boolean;
  label: string;
  detail?: string;
  /** The values offered where they do not come from a column of the model. */
  values?: { value: string | number; label: string }[];
};

export function subjectKey(subject: { table: string; column: string }): string {
  return `${subject.table}.${subject.column}`;
}

function quoted(name: string): string {
  return /^[A-Za-z_]\w*$/.test(name) && !KEYWORDS.has(name.toUpperCase()) ? name : `"${name.replaceAll('"', '""')}"`;
}

export function columnText(table: string, column: string, own: string | null): string {
  return table === own ? quoted(column) : `${quoted(table)}.${quoted(column)}`;
}

export function literal(value: unknown, type: string): string {
  if (type === "date") return `DATE '${String(value)}'`;
  if (type === "timestamp") return `TIMESTAMP '${String(value)}'`;
  if (typeof value === "boolean") return value ? "TRUE" : "FALSE";
  if (typeof value === "number") return String(value);
  return `'${String(value).replaceAll("'", "''")}'`;
}

/** One clause as text of the condition language; one that was not touched stays as it was written. */
export function clauseText(clause: Clause, own: string | null): string {
  if (clause.text) return clause.text;
  const column = columnText(clause.table, clause.column, own);
  const values = (clause.values ?? []).map((value) => literal(value, clause.type));
  switch (clause.kind) {
    case "viewer":
      return clause.many
        ? `${column} ${clause.negated ? "NOT IN" : "IN"} viewer.${clause.viewer}`
        : `${column} ${clause.negated ? "<>" : "="} viewer.${clause.viewer}`;
    case "blank":
      return `${column} IS ${clause.negated ? "NOT " : ""}NULL`;
    case "has":
      return `${values[0]} ${clause.negated ? "NOT IN" : "IN"} ${column}`;
    case "pattern":
      return `${column} ${clause.negated ? "NOT LIKE" : "LIKE"} ${values[0]}`;
    case "range": {
      const low = clause.low ?? null;
      const high = clause.high ?? null;
      if (low !== null && high !== null) return `${column} BETWEEN ${literal(low, clause.type)} AND ${literal(high, clause.type)}`;
      return low !== null ? `${column} >= ${literal(low, clause.type)}` : `${column} <= ${literal(high, clause.type)}`;
    }
    default:
      if (values.length === 1) return `${column} ${clause.negated ? "<>" : "="} ${values[0]}`;
      return `${column} ${clause.negated ? "NOT IN" : "IN"} (${values.join(", ")})`;
  }
}

/** A group as text: brackets where they are needed, groups without clauses left out. */
export function groupText(group: Group, own: string | null, top = true): string {
  const texts = (group.parts ?? []).map((part) => partText(part, own, group)).filter((text) => text !== "");
  const joined = texts.join(`${top ? "\n" : " "}${group.joined.toUpperCase()} `);
  return group.negated && joined ? `NOT (${joined})` : joined;
}

function partText(part: Part, own: string | null, within: Group): string {
  if (!isGroup(part)) return clauseText(part, own);
  const text = groupText(part, own, false);
  const several = (part.parts ?? []).length > 1 && !part.negated && (within.parts ?? []).length > 1;
  return text && several ? `(${text})` : text;
}

export type Path = number[];

export function partAt(group: Group, path: Path): Part | null {
  let here: Part = group;
  for (const step of path) {
    if (!isGroup(here)) return null;
    const next: Part | undefined = (here.parts ?? [])[step];
    if (!next) return null;
    here = next;
  }
  return here;
}

/** The group with one part replaced; null takes it away. */
export function withPart(group: Group, path: Path, part: Part | null): Group {
  const [step, ...rest] = path;
  if (step === undefined) return part && isGroup(part) ? part : { ...group, parts: [] };
  const parts = group.parts ?? [];
  const inner = parts[step];
  const next = rest.length === 0 ? part : inner && isGroup(inner) ? withPart(inner, rest, part) : (inner ?? null);
  return { ...group, parts: parts.flatMap((item, index) => (index === step ? (next ? [next] : []) : [item])) };
}

/** The type of a column, those of an alias being its original's; text where there is none of that name. */
export function columnType(model: Model | undefined, table: string, column: string): string {
  const shape = model?.tables?.find((item) => item.name === table);
  const original = shape?.alias_of ? model?.tables?.find((item) => item.name === shape.alias_of) : shape;
  return original?.columns?.find((item) => item.name === column)?.type ?? "text";
}

/** The columns a condition on a table may use: its own first, then those of its lookups. */
export function columnSubjects(model: Model, reaches: Record<string, string[]>, table: string): Subject[] {
  const tables = [
    table,
    ...(model.tables ?? []).map((item) => item.name).filter((name) => name !== table && reaches[name]?.includes(table)),
  ];
  return tables.flatMap((name) => {
    const shape = model.tables?.find((item) => item.name === name);
    const original = shape?.alias_of ? model.tables?.find((item) => item.name === shape.alias_of) : shape;
    return (original?.columns ?? []).map((column) => ({
      table: name,
      column: column.name,
      type: column.type,
      many: false,
      label: name === table ? column.name : `${name}.${column.name}`,
    }));
  });
}
