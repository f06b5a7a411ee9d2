import { useMutation } from "@tanstack/react-query";
import { App, Button, Popconfirm } from "antd";
import { useNavigate } from "react-router-dom";
import { api, data } from "../../api/client";
import { useChanged } from "../../api/queries";

/** From now on the table's lines are kept here, one by one, dated, with who added what and why. */
export function KeepHere({ model, table, rows }: { model: string; table: string; rows: number }) {
  const changed = useChanged();
  const navigate = useNavigate();
  const { message } = App.useApp();
  const keep = useMutation({
    mutationFn: () => data(api.POST("/api/models/{model}/tables/{table}/kept", { params: { path: { model, table } } })),
    onSuccess: async () => {
      await changed("data");
      navigate(`/models/lines/${encodeURIComponent(table)}`);
    },
    onError: (error) => message.error(error.message),
  });
  if (rows > 100_000) return null;
  return (
    <Popconfirm
      title={`Keep the lines of ${table} here?`}
      description="They are then edited in a grid, with history, instead of being refreshed from a file."
      okText="Keep here"
      onConfirm={() => keep.mutate()}
    >
      <Button size="small" loading={keep.isPending}>
        Keep here…
      </Button>
    </Popconfirm>
  );
}
