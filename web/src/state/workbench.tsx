import { useQuery } from "@tanstack/react-query";
import { createContext, type ReactNode, useContext, useEffect, useMemo, useState } from "react";
import type { PinnedViewer, StateName } from "../api/client";
import { queries } from "../api/queries";
import { isTyping } from "./keys";
import { remember } from "./remembered";
import { kept, modelOf } from "./start";

/** Somebody pinned in the tray. `title` and `detail` are what the chip says. */
export type Pin = { key: string; title: string; detail: string; viewer: PinnedViewer };

export const LETTERS = ["A", "B", "C", "D"] as const;
export const MOST_PINS = 4;

type Workbench = {
  state: StateName;
  setState: (state: StateName) => void;
  model: string | null;
  setModel: (model: string) => void;
  models: { name: string; label: string }[];
  /** True until the workspace was first read. */
  loading: boolean;
  changes: number;
  live: number | null;
  /** What is wrong with the trail, if it is not as it was written. */
  trailBroken: string | null;
  pins: Pin[];
  pin: (pin: Pin) => void;
  unpin: (key: string) => void;
  /** Puts these in the place of all that are pinned; the first has the focus, unless another is named. */
  pinAll: (pins: Pin[], focus?: number) => void;
  /** The day that is looked at; null is today. */
  day: string | null;
  setDay: (day: string | null) => void;
  /** 0 is all data, 1 to 4 the pinned viewers. */
  focus: number;
  setFocus: (focus: number) => void;
};

const WorkbenchContext = createContext<Workbench | null>(null);

/** What is looked at: draft or live, which model, through whose eyes. Kept for each account on its own machine. */
export function WorkbenchProvider({ account, first, children }: { account: string; first: StateName; children: ReactNode }) {
  const mine = `moorland.${account}`;
  const [state, setState] = useState<StateName>(first);
  const [chosen, setModel] = useState<string | null>(() => kept(account, "model", null));
  const [pins, setPins] = useState<Pin[]>(() => kept(account, "pins", []));
  const [focus, setFocus] = useState<number>(() => kept(account, "focus", 0));
  const [day, setDay] = useState<string | null>(null);
  const space = useQuery(queries.state());
  useEffect(() => remember(`${mine}.pins`, JSON.stringify(pins)), [mine, pins]);
  useEffect(() => remember(`${mine}.focus`, JSON.stringify(focus)), [mine, focus]);
  useEffect(() => remember(`${mine}.model`, JSON.stringify(chosen)), [mine, chosen]);
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      if (isTyping(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
      const number = Number(event.key);
      if (/^[0-4]$/.test(event.key) && number <= pins.length) setFocus(number);
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [pins.length]);
  const models = space.data?.models ?? [];
  const model = modelOf(models, chosen);
  const value = useMemo<Workbench>(
    () => ({
      state,
      setState,
      model,
      setModel,
      models,
      loading: space.isPending,
      changes: space.data?.changes ?? 0,
      live: space.data?.live ?? null,
      trailBroken: space.data?.trail_broken ?? null,
      pins,
      pin: (pin) => {
        const at = pins.findIndex((item) => item.key === pin.key);
        if (at >= 0) return setFocus(at + 1);
        if (pins.length >= MOST_PINS) return;
        setPins([...pins, pin]);
        setFocus(pins.length + 1);
      },
      unpin: (key) => {
        const at = pins.findIndex((item) => item.key === key);
        setPins(pins.filter((item) => item.key !== key));
        setFocus(focus > at ? Math.max(0, focus - 1) : focus);
      },
      pinAll: (chosen, looked = 1) => {
        setPins(chosen.slice(0, MOST_PINS));
        setFocus(Math.min(looked, chosen.length));
      },
      day,
      setDay,
      focus: Math.min(focus, pins.length),
      setFocus,
    }),
    [state, model, models, space.data, space.isPending, pins, focus, day],
  );
  return <WorkbenchContext value={value}>{children}</WorkbenchContext>;
}

export function useWorkbench(): Workbench {
  const found = useContext(WorkbenchContext);
  if (!found) throw new Error("the workbench is missing");
  return found;
}

/** The viewer in focus; all data where that is 0. */
export function focusedViewer(bench: Workbench): PinnedViewer {
  return bench.pins[bench.focus - 1]?.viewer ?? { all_data: true };
}

/** The document of the model being worked on, in the draft or live. */
export function useModel(state?: StateName, wanted = true) {
  const bench = useWorkbench();
  const which = state ?? bench.state;
  return useQuery({ ...queries.model(bench.model ?? "", which), enabled: wanted && bench.model !== null });
}
