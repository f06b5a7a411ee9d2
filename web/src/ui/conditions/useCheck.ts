import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, data } from "../../api/client";

export type CheckKind = "rows" | "pages" | "assignment" | "question";

/** Whether a condition can be used, and its clauses in groups. */
export function useCheck(model: string | null, table: string | null, where: string, kind: CheckKind) {
  return useQuery({
    queryKey: ["check", model, table, where, kind],
    queryFn: async () => ({ where, ...(await data(api.POST("/api/check", { body: { model, table, where, kind } }))) }),
    placeholderData: keepPreviousData,
    enabled: where.trim() !== "" && ((kind !== "rows" && kind !== "question") || model !== null),
    staleTime: 60_000,
  });
}
