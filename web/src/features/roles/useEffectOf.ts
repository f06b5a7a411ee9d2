import { useIsFetching, useQuery } from "@tanstack/react-query";
import { useCallback, useMemo } from "react";
import type { PinnedViewer, Role, Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { type EffectAnswer, finishedPart } from "../../ui/sentences/sentence";
import { useDelayed, usePrompt } from "../../ui/useDelayed";

/** What is asked of the effect beside the shares: rows of a table, and totals. */
export type EffectAsk = { table: string | null; key: string | undefined; totals: Schemas["TotalsQuestion"] | null };

/** What the edited role does to the pinned viewers, asked anew at every keystroke. */
export function useEffectOf(model: string | null, role: Role | null, viewers: PinnedViewer[], ask: EffectAsk) {
  const written = usePrompt(role, 40);
  const finished = useMemo(() => written && finishedPart(written), [written]);
  const settled = finished?.role ?? null;
  const places = finished?.places;
  return useQuery({
    ...queries.effect({
      model: model ?? "",
      viewers,
      edited: settled ? [settled] : [],
      rows: ask.table ? { model: model ?? "", table: ask.table, order: ask.key ? [`${ask.table}.${ask.key}`] : [], limit: 200 } : null,
      totals: ask.totals,
    }),
    enabled: model !== null && settled !== null,
    // Problems are of the sentences that were sent; they are told at the places of those being edited.
    select: useCallback((answer: EffectAnswer) => ({ ...answer, problems: replaced(answer.problems, places ?? []) }), [places]),
  });
}

/** Whether an effect is on its way. */
export const useEffectUnderWay = (): boolean => useIsFetching({ queryKey: ["post", "/api/effect"] }) > 0;

/** Sentences that take nothing away, such as the same filter given twice, by their places in what is edited; asked once typing has paused. */
export function useRedundant(role: Role): Map<number, string> {
  const written = useDelayed(role, 700);
  const finished = useMemo(() => finishedPart(written), [written]);
  const deciding = (finished.role.sentences ?? []).filter((item) => item.rows || item.entitlement || item.members).length;
  const asked = useQuery({
    ...queries.redundant({ role: finished.role.name, edited: [finished.role] }),
    enabled: deciding > 1 && Boolean(role.model),
  });
  return new Map((asked.data?.found ?? []).map((item) => [finished.places[item.sentence] ?? item.sentence, item.message]));
}

function replaced(problems: EffectAnswer["problems"], places: number[]): EffectAnswer["problems"] {
  return problems.map((problem) => ({
    ...problem,
    path: problem.path.replace(/^sentences\[(\d+)\]/, (_, place: string) => `sentences[${String(places[Number(place)] ?? place)}]`),
  }));
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
