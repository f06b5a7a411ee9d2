import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { queries } from "../../api/queries";

export type CheckKind = "rows" | "pages" | "assignment" | "question";

/** Whether a condition can be used, and its clauses in groups. */
export function useCheck(model: string | null, table: string | null, where: string, kind: CheckKind) {
  const check = useQuery({
    ...queries.checked({ model, table, where, kind }),
    placeholderData: keepPreviousData,
    enabled: where.trim() !== "" && ((kind !== "rows" && kind !== "question") || model !== null),
  });
  // What still stands from the text before is told apart from what is said of this one.
  return { ...check, data: check.data && { ...check.data, current: !check.isPlaceholderData } };
}
