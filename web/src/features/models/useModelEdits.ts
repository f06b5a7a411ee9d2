import { useMutation } from "@tanstack/react-query";
import { App } from "antd";
import { useState } from "react";
import { ApiError, api, data, type Model, type ModelAnswer, type Problem } from "../../api/client";
import { useChanged } from "../../api/queries";

type Step = { document: Model; what: string };

/** What was saved on this screen, by model, so that it can be taken back; it outlives the screen. */
const past = new Map<string, Step[]>();
const future = new Map<string, Step[]>();

export type ModelEdits = {
  /** Saves the model as `change` makes it; `what` names the edit for undoing. */
  save: (what: string, change: (document: Model) => Model) => Promise<boolean>;
  undo: (() => void) | null;
  redo: (() => void) | null;
  undoes: string | null;
  saving: boolean;
  /** Why the last save was refused: every place that would no longer hold together. */
  refused: { message: string; problems: Problem[] } | null;
  forget: () => void;
};

/** Saves of a model of the draft, each one kept for undo. Nothing is saved that would break a role, a page or a measure. */
export function useModelEdits(model: ModelAnswer): ModelEdits {
  const changed = useChanged();
  const { message } = App.useApp();
  const name = model.document.name;
  const [refused, setRefused] = useState<ModelEdits["refused"]>(null);
  const put = useMutation({
    mutationFn: (document: Model) =>
      data(api.PUT("/api/models/{model}/draft", { params: { path: { model: name } }, body: { document, version: model.version } })),
  });
  const send = async (document: Model, kept: () => void): Promise<boolean> => {
    setRefused(null);
    try {
      await put.mutateAsync(document);
      kept();
      await changed("models");
      return true;
    } catch (error) {
      const found = error as ApiError;
      if (found.status === 409) await changed("models");
      setRefused({
        message: found.status === 409 ? "Somebody changed this model meanwhile. It is loaded anew; make your change again." : found.message,
        problems: found instanceof ApiError ? found.problems : [],
      });
      return false;
    }
  };
  const move = (from: Map<string, Step[]>, to: Map<string, Step[]>, verb: string) => {
    const step = from.get(name)?.at(-1);
    if (!step) return null;
    return () =>
      void send(step.document, () => {
        from.set(name, (from.get(name) ?? []).slice(0, -1));
        to.set(name, [...(to.get(name) ?? []), { document: model.document, what: step.what }]);
        message.success(`${verb}: ${step.what}`);
      });
  };
  return {
    save: async (what, change) => {
      return send(change(model.document), () => {
        past.set(name, [...(past.get(name) ?? []), { document: model.document, what }].slice(-50));
        future.set(name, []);
        message.success(`Saved in the draft: ${what}`);
      });
    },
    undo: move(past, future, "Taken back"),
    redo: move(future, past, "Done again"),
    undoes: past.get(name)?.at(-1)?.what ?? null,
    saving: put.isPending,
    refused,
    forget: () => setRefused(null),
  };
}
