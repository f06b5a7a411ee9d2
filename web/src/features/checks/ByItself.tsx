import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button, Modal } from "antd";
import { useState } from "react";
import { api, data, type Schemas } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { useRights } from "../../state/rights";
import { Notice } from "../../ui/Notice";
import { runsAt, WhenFields } from "../../ui/WhenFields";
import { when as moment } from "../../ui/when";

type When = Schemas["When"];

/** When promises run by themselves: after each change, and, where rows change in sources without one, by schedule. */
export function ByItself() {
  const { everywhere } = useRights();
  const changed = useChanged();
  const { message } = App.useApp();
  const [editing, setEditing] = useState<When | null>(null);
  const found = useQuery({
    ...queries.promisesBySchedule(),
    refetchInterval: (query) => (query.state.data?.running ? 1500 : false),
  });
  const entry = found.data;
  const save = useMutation({
    mutationFn: (when: When | null) => data(api.PUT("/api/promises/schedule", { body: { when, version: entry?.version ?? null } })),
    onSuccess: async () => {
      await changed();
      setEditing(null);
      message.success("Kept.");
    },
  });
  const run = useMutation({
    mutationFn: () => data(api.POST("/api/promises/schedule")),
    onSuccess: async () => {
      await changed();
      message.success("They run now.");
    },
    onError: (error) => message.error(error.message),
  });
  if (!entry) return null;
  const writes = everywhere("checks");
  return (
    <div className="row wrap small below-8" data-testid="promises-by-schedule">
      <span>
        They run after each change{entry.when ? `, and ${runsAt(entry.when)}` : " only; rows in sources change without one"}.
        {entry.next_at && <span className="soft"> Next {moment(entry.next_at)}.</span>}
        {entry.last_at && (
          <>
            {" "}
            Last by schedule {moment(entry.last_at)}: <span className={entry.last_well ? "" : "warn"}>{entry.last_message}</span>
          </>
        )}
      </span>
      {writes && (
        <>
          <Button size="small" onClick={() => setEditing(entry.when ?? { at: "06:00", days: [], minutes: null })}>
            {entry.when ? "Change when" : "Run by schedule…"}
          </Button>
          {entry.when && (
            <Button size="small" loading={run.isPending || entry.running} onClick={() => run.mutate()}>
              Run now
            </Button>
          )}
        </>
      )}
      {editing && (
        <Modal
          open
          title="Promises by schedule"
          okText="Keep it"
          okButtonProps={{ loading: save.isPending }}
          onOk={() => save.mutate(editing)}
          onCancel={() => setEditing(null)}
          footer={(_, { OkBtn, CancelBtn }) => (
            <>
              {entry.when && (
                <Button danger onClick={() => save.mutate(null)}>
                  After changes only
                </Button>
              )}
              <CancelBtn />
              <OkBtn />
            </>
          )}
        >
          <p className="soft">
            The promises of what is live are run on what sources hold then; what is newly broken is told here and on Overview.
          </p>
          <WhenFields when={editing} change={setEditing} zone={entry.time_zone} />
          {save.isError && <Notice kind="bad">{save.error.message}</Notice>}
        </Modal>
      )}
    </div>
  );
}
