import { useQuery } from "@tanstack/react-query";
import type { PinnedViewer, Role, Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { useDelayed } from "../../ui/useDelayed";

/** What is asked of the effect beside the shares: rows of a table, and totals. */
export type EffectAsk = { table: string | null; key: string | undefined; totals: Schemas["TotalsQuestion"] | null };

/** What the edited role does to the pinned viewers, asked anew at every keystroke. */
export function useEffectOf(model: string | null, role: Role | null, viewers: PinnedViewer[], ask: EffectAsk) {
  const settled = useDelayed(role, 40);
  return useQuery({
    ...queries.effect({
      model: model ?? "",
      viewers,
      edited: settled ? [settled] : [],
      rows: ask.table ? { model: model ?? "", table: ask.table, order: ask.key ? [`${ask.table}.${ask.key}`] : [], limit: 200 } : null,
      totals: ask.totals,
    }),
    enabled: model !== null && settled !== null,
  });
}

export type EffectQuery = ReturnType<typeof useEffectOf>;

/** The same viewer with only this role. */
export function alone(viewer: PinnedViewer, role: string): PinnedViewer {
  if (typeof viewer === "string") return { login: viewer, only_roles: [role] };
  if ("all_data" in viewer) return viewer;
  if ("imagine" in viewer) return { imagine: { ...viewer.imagine, only_roles: [role] } };
  return { ...viewer, only_roles: [role] };
}

export type Mode = "all" | "alone";

export function viewersFor(viewers: PinnedViewer[], mode: Mode, role: string): PinnedViewer[] {
  return mode === "alone" ? viewers.map((viewer) => alone(viewer, role)) : viewers;
}
