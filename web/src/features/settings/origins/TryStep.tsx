import { useMutation } from "@tanstack/react-query";
import { Button, Checkbox, InputNumber } from "antd";
import { useCallback, useState } from "react";
import { api, data, type Schemas } from "../../../api/client";
import { Notice } from "../../../ui/Notice";
import { TaskProgress } from "../../../ui/TaskProgress";
import { WhenFields } from "../../../ui/WhenFields";
import { Arrival } from "./Arrival";
import type { Directory, Setting } from "./writing";

type Task = Schemas["TaskAnswer"];

/** What a run would do, told before anything is kept; then when it runs, and what it may do by itself. */
export function TryStep({ text, set, secret, zone }: { text: Directory; set: Setting; secret: string | null; zone: string }) {
  const [report, setReport] = useState<Schemas["ArrivalReport"] | null>(null);
  const look = useMutation({
    mutationFn: () =>
      data(api.POST("/api/settings/origins/try/run", { body: { origin: text, secret } })) as Promise<unknown> as Promise<Task>,
    onMutate: () => setReport(null),
  });
  const finished = useCallback((task: Task) => {
    if (task.state === "done") setReport(task.result as unknown as Schemas["ArrivalReport"]);
  }, []);
  const bounds = text.bounds ?? {};
  const bound = (part: Partial<typeof bounds>) => set({ bounds: { ...bounds, ...part } });
  return (
    <>
      <div className="answers">
        <span>By itself</span>
        <Checkbox
          id="origin-scheduled"
          checked={text.when != null}
          onChange={(event) => set({ when: event.target.checked ? { at: "04:00", days: [], minutes: null } : null })}
        >
          it is read without anybody asking
        </Checkbox>
        {text.when && (
          <>
            <span>When</span>
            <WhenFields when={text.when} change={(when) => set({ when })} zone={zone} />
          </>
        )}
        <span>Held where</span>
        <div className="row wrap">
          more than
          <InputNumber aria-label="People who may gain" min={0} value={bounds.gain ?? 5} onChange={(gain) => bound({ gain: gain ?? 0 })} />
          would gain a role or lose a limit, more than
          <InputNumber aria-label="People who may lose" min={0} value={bounds.lose ?? 20} onChange={(lose) => bound({ lose: lose ?? 0 })} />
          would lose one, or more than
          <InputNumber
            aria-label="Percent of people who may be gone"
            min={0}
            max={100}
            value={bounds.gone_percent ?? 20}
            onChange={(percent) => bound({ gone_percent: percent ?? 0 })}
          />
          percent are gone
        </div>
        <span>Signing in</span>
        <Checkbox id="origin-signs" checked={text.sign_in ?? true} onChange={(event) => set({ sign_in: event.target.checked })}>
          its people sign in with the password they have there
        </Checkbox>
      </div>
      <div className="row above-14">
        <Button loading={look.isPending} onClick={() => look.mutate()}>
          Try it: who would gain, who would lose?
        </Button>
        <span className="soft small">Nothing is changed by it.</span>
      </div>
      {look.error && <Notice kind="bad">{look.error.message}</Notice>}
      {look.data && !report && <TaskProgress key={look.data.id} id={look.data.id} finished={finished} />}
      {report && <Arrival report={report} origin={null} />}
    </>
  );
}
