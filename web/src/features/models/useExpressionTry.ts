import { useQuery } from "@tanstack/react-query";
import type { Model, Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import type { Known } from "../../ui/ConditionEditor";
import { splitName } from "../../ui/fullNames";
import { useDelayed } from "../../ui/useDelayed";

type Words = Pick<Schemas["VocabularyAnswer"], "functions" | "aggregates">;

/** What an expression gives over all data, tried as it is typed. */
export function useExpressionTry(model: string, table: string, name: string | null, expression: string, kind: "measure" | "column") {
  const settled = useDelayed(expression.trim(), 200);
  return useQuery({
    ...queries.expression(model, { table, name, expression: settled, kind }),
    enabled: settled !== "" && table !== "",
  });
}

/** Names an expression on a table can use: its columns, those of its lookups, functions, and for measures aggregates and other measures. */
export function expressionNames(model: Model, table: string, kind: "measure" | "column", words: Words): Known[] {
  const reached = new Set<string>();
  const waiting = [table];
  for (let name = waiting.pop(); name !== undefined; name = waiting.pop()) {
    for (const item of model.relationships ?? []) {
      const [many] = splitName(item.from);
      const [one] = splitName(item.to);
      if (many === name && !reached.has(one)) {
        reached.add(one);
        waiting.push(one);
      }
    }
  }
  const columnsOf = (name: string) => {
    const found = (model.tables ?? []).find((item) => item.name === name);
    return (found?.alias_of ? (model.tables ?? []).find((item) => item.name === found.alias_of) : found)?.columns ?? [];
  };
  return [
    ...columnsOf(table).map((column) => ({ label: column.name, detail: column.type })),
    ...[...reached].flatMap((name) => columnsOf(name).map((column) => ({ label: `${name}.${column.name}`, detail: column.type }))),
    ...(kind === "measure"
      ? [
          ...words.aggregates.map((label) => ({ label, detail: "aggregate" })),
          ...(model.measures ?? []).map((measure) => ({ label: `measure.${measure.name}`, detail: "measure" })),
        ]
      : []),
    ...words.functions.map((label) => ({ label, detail: "function" })),
  ];
}
