import { useMutation } from "@tanstack/react-query";
import { App, Button } from "antd";
import { Link } from "react-router-dom";
import { api, data, type Schemas } from "../api/client";
import { useChanged } from "../api/queries";
import { useRights } from "../state/rights";

/** Keeps what was just found as a promise of the draft; shown to who may make one. */
export function KeepPromise({ promise, children = "Keep as a promise" }: { promise: Schemas["Promise"]; children?: string }) {
  const { everywhere, may } = useRights();
  const changed = useChanged();
  const { message } = App.useApp();
  const keep = useMutation({
    mutationFn: () =>
      data(api.PUT("/api/promises/of/{name}", { params: { path: { name: promise.name } }, body: { promise, version: null } })),
    onSuccess: async () => {
      await changed();
      message.success("Kept as a promise of the draft.");
    },
    onError: (error) => message.error(error.message),
  });
  if (!may("checks") || !everywhere("look-values")) return null;
  return (
    <p className="small row">
      <Button size="small" loading={keep.isPending} disabled={keep.isSuccess} title={promise.name} onClick={() => keep.mutate()}>
        {children}
      </Button>
      {keep.isSuccess ? <Link to="/checks/promises">to the promises</Link> : <span className="soft">{promise.name}</span>}
    </p>
  );
}
