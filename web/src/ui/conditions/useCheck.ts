import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { queries } from "../../api/queries";
import { useConditionSource } from "./source";

export type CheckKind = "rows" | "pages" | "assignment" | "question";

/** Whether a condition can be used, and its clauses in groups. */
export function useCheck(model: string | null, table: string | null, where: string, kind: CheckKind) {
  const own = useConditionSource() === "own";
  const wanted = where.trim() !== "" && ((kind !== "rows" && kind !== "question") || model !== null);
  const ofWorkspace = useQuery({
    ...queries.checked({ model, table, where, kind }),
    placeholderData: keepPreviousData,
    enabled: wanted && !own,
  });
  const ofOwn = useQuery({
    ...queries.myChecked({ model: model ?? "", table, where }),
    placeholderData: keepPreviousData,
    enabled: wanted && own,
  });
  // No more than what is used: whatever else of a query is looked at has its reader drawn anew when that changes.
  const { data, isPlaceholderData } = own ? ofOwn : ofWorkspace;
  // What still stands from the text before is told apart from what is said of this one.
  return { data: data && { ...data, current: !isPlaceholderData } };
}
