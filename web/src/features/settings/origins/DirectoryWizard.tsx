import { useMutation } from "@tanstack/react-query";
import { App, Button, Steps } from "antd";
import { useState } from "react";
import { ApiError, api, data, type Schemas } from "../../../api/client";
import { useChanged } from "../../../api/queries";
import { Notice } from "../../../ui/Notice";
import { AttributesStep, GroupsStep } from "./GroupSteps";
import { PeopleStep } from "./PeopleStep";
import { BindStep, ServerStep } from "./ServerSteps";
import { TryStep } from "./TryStep";
import { type Directory, firstWritten, ready, STEPS, type Tried } from "./writing";
import "./origins.css";

const ABOUT = [
  "Which machine keeps the directory, and how is the way there kept secret?",
  "As whom does Moorland ask it? The next steps show what this name may read.",
  "Which entries are people, and which of their attributes says what? Below stands what is really there.",
  "Which groups there fill groups here? Only those that are chosen do; people in groups inside a group are counted.",
  "Which attributes here get their values from there? Those are locked to it; what is left blank is kept here.",
  "What would the first reading do? Then say when it is read by itself, and when somebody has to look first.",
];

/** A directory set up in five answers, each tried against what is really there; then a dry run, and when it is read. */
export function DirectoryWizard({
  entry,
  told,
  close,
}: {
  entry: Schemas["OriginEntry"] | null;
  told: Schemas["OriginList"];
  close: () => void;
}) {
  const changed = useChanged();
  const { message } = App.useApp();
  const [text, setText] = useState<Directory>(
    entry?.origin.kind === "ldap" ? (entry.origin as Directory) : firstWritten(told.hosts[0] ?? ""),
  );
  const [secret, setSecret] = useState<string | null>(null);
  const [step, setStep] = useState(0);
  const [furthest, setFurthest] = useState(entry ? STEPS.length - 1 : 0);
  const look = useMutation({
    mutationFn: () => data(api.POST("/api/settings/origins/try", { body: { origin: text, secret } })),
  });
  const save = useMutation({
    mutationFn: (enabled: boolean) =>
      data(api.PUT("/api/settings/origins", { body: { origin: text, secret, enabled, version: entry?.version ?? null } })),
    onSuccess: async () => {
      await changed("people");
      message.success("Kept. Read it now, or wait for its time.");
      close();
    },
  });
  const set = (change: Partial<Directory>) => {
    setText({ ...text, ...change });
    save.reset();
  };
  const there: Tried | undefined = look.data;
  const go = (next: number) => {
    setStep(next);
    setFurthest(Math.max(furthest, next));
    if (next > 1 && !look.isPending) look.mutate();
  };
  const next = async () => {
    if (step === 0) return go(1);
    // A step is left when the directory says that it is right.
    const found = await look.mutateAsync().catch(() => null);
    if (found?.reached) {
      setStep(step + 1);
      setFurthest(Math.max(furthest, step + 1));
    }
  };
  const lacks = ready(text, step);
  const error = look.error ?? save.error;
  return (
    <section aria-label="A directory">
      <div className="row below-8">
        <h2>{entry ? `The directory ${entry.origin.label || entry.origin.name}` : "Connect a directory"}</h2>
        <span className="grow" />
        <Button onClick={close}>Back to the list</Button>
      </div>
      {!told.ldap && (
        <Notice kind="bad">
          The client library for directories is not installed on this machine. Install it with <code>pip install "moorland[ldap]"</code>; it
          is built with <code>libldap2-dev</code> and <code>libsasl2-dev</code> of Debian.
        </Notice>
      )}
      <div className="directory">
        <Steps
          orientation="vertical"
          size="small"
          current={step}
          onChange={(chosen) => chosen <= furthest && go(chosen)}
          items={STEPS.map((title, index) => ({ title, disabled: index > furthest }))}
        />
        <div>
          <p className="soft most-720 below-8">{ABOUT[step]}</p>
          {step === 0 && <ServerStep text={text} set={set} hosts={told.hosts} isNew={entry === null} />}
          {step === 1 && <BindStep text={text} set={set} secret={secret} setSecret={setSecret} hasSecret={entry?.has_secret ?? false} />}
          {step === 2 && <PeopleStep text={text} set={set} there={there} />}
          {step === 3 && <GroupsStep text={text} set={set} there={there} />}
          {step === 4 && <AttributesStep text={text} set={set} there={there} />}
          {step === 5 && <TryStep text={text} set={set} secret={secret} zone={told.time_zone} />}
          {error && <Notice kind="bad">{error instanceof ApiError ? error.message : "This could not be tried."}</Notice>}
          {there && !there.reached && step > 0 && <Notice kind="bad">{there.message}</Notice>}
          <div className="row above-14">
            {step > 0 && <Button onClick={() => setStep(step - 1)}>Back</Button>}
            {step > 0 && step < 5 && (
              <Button loading={look.isPending} disabled={lacks !== null} onClick={() => look.mutate()}>
                {step === 1 ? "Try it" : "Look again"}
              </Button>
            )}
            {step < 5 && (
              <Button type="primary" disabled={lacks !== null} loading={look.isPending && step > 0} onClick={() => void next()}>
                Next: {STEPS[step + 1]?.toLowerCase()}
              </Button>
            )}
            {step === 5 && (
              <>
                <Button type="primary" loading={save.isPending} onClick={() => save.mutate(true)}>
                  Keep it
                </Button>
                <Button loading={save.isPending} onClick={() => save.mutate(false)}>
                  Keep it switched off
                </Button>
              </>
            )}
            {lacks && <span className="soft small">{lacks}</span>}
          </div>
        </div>
      </div>
    </section>
  );
}
