import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button, InputNumber, Select } from "antd";
import { useState } from "react";
import { api, data, type Schemas } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { plural } from "../../ui/figures";
import { Notice } from "../../ui/Notice";
import { useDelayed } from "../../ui/useDelayed";

type Rules = Required<Schemas["SignInRules"]>;

/** What a password has to be, how long it and a session last, and whether a second factor is asked for; each with whom it stops. */
export function SignInRules() {
  const stored = useQuery(queries.signInRules());
  if (stored.isError) return <Notice kind="bad">{stored.error.message}</Notice>;
  if (!stored.data) return <p className="soft">Opening…</p>;
  return <Form key={stored.data.version} answer={stored.data} />;
}

function Form({ answer }: { answer: Schemas["RulesAnswer"] }) {
  const changed = useChanged();
  const { message } = App.useApp();
  const [rules, setRules] = useState<Rules>(answer.rules as Rules);
  const dirty = JSON.stringify(rules) !== JSON.stringify(answer.rules);
  const settled = useDelayed(JSON.stringify(rules), 300);
  const tried = useQuery({
    ...queries.tried(["rules", settled], () => data(api.POST("/api/settings/sign-in/try", { body: JSON.parse(settled) as Rules }))),
  });
  const save = useMutation({
    mutationFn: () => data(api.PUT("/api/settings/sign-in", { body: { rules, version: answer.version } })),
    onSuccess: async () => {
      await changed();
      message.success("Saved. The rules act at the next sign-in.");
    },
  });
  const number = (key: "least_length" | "reuse" | "attempts" | "pause_minutes" | "session_hours", least: number, most: number) => (
    <InputNumber
      id={key}
      min={least}
      max={most}
      value={rules[key]}
      onChange={(value) => value !== null && setRules({ ...rules, [key]: Math.round(value) })}
    />
  );
  const orNever = (key: "expiry_days" | "idle_minutes", least: number, most: number, never: string) => (
    <InputNumber
      id={key}
      min={least}
      max={most}
      placeholder={never}
      value={rules[key]}
      onChange={(value) => setRules({ ...rules, [key]: value === null ? null : Math.round(value) })}
    />
  );
  return (
    <section aria-label="Sign-in rules">
      <h2>Sign-in rules</h2>
      <div className="rules">
        <label htmlFor="least_length">Least signs of a password</label>
        {number("least_length", 8, 128)}
        <label htmlFor="reuse">Last passwords that are not taken again</label>
        {number("reuse", 0, 24)}
        <label htmlFor="expiry_days">Days until a password is over</label>
        {orNever("expiry_days", 1, 3650, "never")}
        <label htmlFor="attempts">Wrong passwords before a pause, of one address for one account</label>
        {number("attempts", 3, 20)}
        <label htmlFor="pause_minutes">Minutes of the pause</label>
        {number("pause_minutes", 1, 1440)}
        <label htmlFor="session_hours">Hours a session lasts</label>
        {number("session_hours", 1, 720)}
        <label htmlFor="idle_minutes">Minutes until an unused session ends</label>
        {orNever("idle_minutes", 5, 10080, "never")}
        <label htmlFor="second_factor">Second factor</label>
        <Select
          id="second_factor"
          value={rules.second_factor}
          onChange={(value) => setRules({ ...rules, second_factor: value })}
          options={[
            { value: "off", label: "off: nobody is asked for one" },
            { value: "offered", label: "offered: who wants one sets it up" },
            { value: "required", label: "required: set up before anything else" },
          ]}
        />
      </div>
      {tried.data && (
        <div data-testid="stops">
          <Stop logins={tried.data.password} what="would have to change their password at the next sign-in" />
          <Stop logins={tried.data.second_factor} what="would have to set a second factor up at the next sign-in" />
          {tried.data.password.length + tried.data.second_factor.length === 0 && <p className="soft">These rules stop nobody today.</p>}
        </div>
      )}
      {save.isError && <Notice kind="bad">{save.error.message}</Notice>}
      <p className="row">
        <Button
          type="primary"
          disabled={!dirty || settled !== JSON.stringify(rules)}
          loading={save.isPending}
          onClick={() => save.mutate()}
        >
          Save
        </Button>
        {dirty && (
          <button type="button" className="textlink" onClick={() => setRules(answer.rules as Rules)}>
            take back
          </button>
        )}
      </p>
    </section>
  );
}

function Stop({ logins, what }: { logins: string[]; what: string }) {
  if (logins.length === 0) return null;
  return (
    <Notice kind="careful">
      <b>{plural(logins.length, "person", "people")}</b> {what}: {logins.slice(0, 20).join(", ")}
      {logins.length > 20 && " …"}
    </Notice>
  );
}
