import { useMutation } from "@tanstack/react-query";
import { Modal } from "antd";
import { useCallback, useEffect, useState } from "react";
import { api, data, type Schemas } from "../../../api/client";
import { useChanged } from "../../../api/queries";
import { Notice } from "../../../ui/Notice";
import { TaskProgress } from "../../../ui/TaskProgress";
import { Arrival } from "./Arrival";

type Report = Schemas["ArrivalReport"];
type Task = Schemas["TaskAnswer"];

/** Reads a directory, shows what it would do, and only then does it; what was looked at is what is applied. */
export function RunNow({ entry, close }: { entry: Schemas["OriginEntry"]; close: () => void }) {
  const changed = useChanged();
  const name = entry.origin.name;
  const [report, setReport] = useState<Report | null>(null);
  const [ended, setEnded] = useState<Task | null>(null);
  const look = useMutation({
    mutationFn: () =>
      data(api.POST("/api/settings/origins/try/run", { body: { origin: entry.origin } })) as Promise<unknown> as Promise<Task>,
  });
  const apply = useMutation({
    mutationFn: () =>
      data(
        api.POST("/api/settings/origins/of/{name}/runs", { params: { path: { name } }, body: { accepted: report?.fingerprint ?? null } }),
      ),
  });
  const { mutate } = look;
  useEffect(() => mutate(), [mutate]);
  const looked = useCallback((task: Task) => {
    if (task.state === "done") setReport(task.result as unknown as Report);
  }, []);
  const applied = useCallback(
    async (task: Task) => {
      setEnded(task);
      await changed("people", "roles");
    },
    [changed],
  );
  const result = ended?.state === "done" ? (ended.result as { state: string; message: string }) : null;
  const nothing = report !== null && !["created", "changed", "gone"].some((key) => report.counts[key]);
  const error = look.error ?? apply.error;
  return (
    <Modal
      open
      width={760}
      title={`Read ${entry.origin.label || name} now`}
      okText={(report?.beyond ?? []).length > 0 ? "Let it through" : "Apply it"}
      okButtonProps={{ disabled: report === null || nothing || apply.isPending || apply.isSuccess, loading: apply.isPending }}
      onOk={() => apply.mutate()}
      cancelText={ended ? "Close" : "Cancel"}
      onCancel={close}
    >
      {error && <Notice kind="bad">{error.message}</Notice>}
      {look.data && !report && <TaskProgress id={look.data.id} finished={looked} />}
      {apply.data && !ended && <TaskProgress id={apply.data.id} finished={(task) => void applied(task)} />}
      {ended && ended.state !== "done" && (
        <Notice kind="bad">{ended.problems[0]?.message ?? "It did not end well. Nothing was changed."}</Notice>
      )}
      {result && (
        <Notice kind={result.state === "held" ? "careful" : "good"}>
          {result.state === "held"
            ? `The directory says something else by now, so it is held again. ${result.message}`
            : `Done. ${result.message}`}
        </Notice>
      )}
      {report && nothing && !ended && <Notice>Everybody is here already as the directory says.</Notice>}
      {report && !ended && (
        <Arrival report={report} origin={name} joined={() => look.mutate(undefined, { onSuccess: () => setReport(null) })} />
      )}
    </Modal>
  );
}
