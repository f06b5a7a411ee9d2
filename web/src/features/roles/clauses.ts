import type { Clause, Model } from "../../api/client";

const KEYWORDS = new Set(
  "AND OR NOT IN BETWEEN LIKE ESCAPE IS NULL TRUE FALSE CASE WHEN THEN ELSE END CAST AS DATE TIMESTAMP INTERVAL EXTRACT FROM CURRENT_DATE DISTINCT SELECT FOR".split(
    " ",
  ),
);

function quoted(name: string): string {
  return /^[A-Za-z_]\w*$/.test(name) && !KEYWORDS.has(name.toUpperCase()) ? name : `"${name.replaceAll('"', '""')}"`;
}

export function columnText(table: string, column: string, own: string): string {
  return table === own ? quoted(column) : `${quoted(table)}.${quoted(column)}`;
}

function literal(value: unknown, type: string): string {
  if (type === "date") return `DATE '${String(value)}'`;
  if (type === "timestamp") return `TIMESTAMP '${String(value)}'`;
  if (typeof value === "boolean") return value ? "TRUE" : "FALSE";
  if (typeof value === "number") return String(value);
  return `'${String(value).replaceAll("'", "''")}'`;
}

/** One clause as text of the condition language. */
export function clauseText(clause: Clause, own: string): string {
  const column = columnText(clause.table, clause.column, own);
  switch (clause.kind) {
    case "viewer":
      return clause.many
        ? `${column} ${clause.negated ? "NOT IN" : "IN"} viewer.${clause.viewer}`
        : `${column} ${clause.negated ? "<>" : "="} viewer.${clause.viewer}`;
    case "blank":
      return `${column} IS ${clause.negated ? "NOT " : ""}NULL`;
    case "range": {
      const low = clause.low ?? null;
      const high = clause.high ?? null;
      if (low !== null && high !== null) return `${column} BETWEEN ${literal(low, clause.type)} AND ${literal(high, clause.type)}`;
      return low !== null ? `${column} >= ${literal(low, clause.type)}` : `${column} <= ${literal(high, clause.type)}`;
    }
    default: {
      const values = clause.values.map((value) => literal(value, clause.type));
      if (values.length === 1) return `${column} ${clause.negated ? "<>" : "="} ${values[0]}`;
      return `${column} ${clause.negated ? "NOT IN" : "IN"} (${values.join(", ")})`;
    }
  }
}

/** Clauses joined by AND, as text. */
export function conditionText(clauses: Clause[], own: string): string {
  return clauses.map((clause) => clauseText(clause, own)).join("\nAND ");
}

/** The columns a condition on a table may use: its own first, then those of its lookups. */
export function usableColumns(model: Model, reaches: Record<string, string[]>, table: string) {
  const tables = [
    table,
    ...(model.tables ?? []).map((item) => item.name).filter((name) => name !== table && reaches[name]?.includes(table)),
  ];
  return tables.flatMap((name) =>
    (model.tables?.find((item) => item.name === name)?.columns ?? []).map((column) => ({ table: name, column })),
  );
}
