import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button, InputNumber, Select } from "antd";
import { useState } from "react";
import { api, data, type Schemas } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { usePeople } from "../../state/directory";
import { plural } from "../../ui/figures";
import { Notice } from "../../ui/Notice";
import { useDelayed } from "../../ui/useDelayed";

type Rules = Required<Schemas["SignInRules"]>;
type Otherwise = Schemas["OrganizationRules"];

const FACTORS = [
  { value: "off", label: "off: nobody is asked for one" },
  { value: "offered", label: "offered: who wants one sets it up" },
  { value: "required", label: "required: set up before anything else" },
];

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
          options={FACTORS}
        />
        <label htmlFor="door">Query door, for SQL clients with door keys</label>
        <Select
          id="door"
          value={rules.door ? "open" : "closed"}
          onChange={(value) => setRules({ ...rules, door: value === "open" })}
          options={[
            { value: "open", label: "people may come in by it" },
            { value: "closed", label: "closed to everybody" },
          ]}
        />
      </div>
      <InOrganizations rules={rules.organizations ?? []} onChange={(organizations) => setRules({ ...rules, organizations })} />
      {tried.data && (
        <div data-testid="stops">
          <Stop logins={tried.data.password} what="would have to change their password at the next sign-in" />
          <Stop logins={tried.data.second_factor} what="would have to set a second factor up at the next sign-in" />
          <Stop logins={tried.data.no_way} what="could not sign in any more: no way in is left to their organization" />
          {tried.data.unknown.length > 0 && (
            <Notice kind="careful">There is no organization {tried.data.unknown.join(", ")} any more: its rules stop nobody.</Notice>
          )}
          {tried.data.password.length + tried.data.second_factor.length + tried.data.no_way.length === 0 && (
            <p className="soft">These rules stop nobody today.</p>
          )}
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

type InProps = { rules: Otherwise[]; onChange: (rules: Otherwise[]) => void };

/** What is otherwise in an organization and all below it; the nearest says. */
function InOrganizations({ rules, onChange }: InProps) {
  const people = usePeople();
  const organizations = people.data?.organizations ?? [];
  const labels = new Map(organizations.map((item) => [item.name, item.label ?? item.name]));
  const named = new Set(rules.map((item) => item.organization));
  const set = (index: number, change: Partial<Otherwise>) =>
    onChange(rules.map((item, place) => (place === index ? { ...item, ...change } : item)));
  return (
    <>
      <h3>Otherwise in an organization</h3>
      {rules.length === 0 && <p className="soft small">Nowhere: these rules hold for everybody.</p>}
      {rules.length > 0 && (
        <table className="data otherwise">
          <thead>
            <tr>
              <th>organization, with all below it</th>
              <th>days until a password is over</th>
              <th>second factor</th>
              <th>sign-in with a password</th>
              <th>query door</th>
              <th>
                <span className="visually-hidden">acts</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {rules.map((item, index) => (
              <tr key={item.organization}>
                <td>{labels.get(item.organization) ?? <span className="warn">{item.organization}: not there any more</span>}</td>
                <td className="row">
                  <Select
                    aria-label={`Days in ${item.organization}`}
                    value={typeof item.expiry_days === "number" ? "days" : (item.expiry_days ?? "same")}
                    onChange={(value: string) => set(index, { expiry_days: value === "days" ? 90 : value === "never" ? "never" : null })}
                    options={[
                      { value: "same", label: "as above it" },
                      { value: "never", label: "never" },
                      { value: "days", label: "days" },
                    ]}
                  />
                  {typeof item.expiry_days === "number" && (
                    <InputNumber
                      aria-label={`How many days in ${item.organization}`}
                      min={1}
                      max={3650}
                      value={item.expiry_days}
                      onChange={(value) => value !== null && set(index, { expiry_days: Math.round(value) })}
                    />
                  )}
                </td>
                <td>
                  <Select
                    aria-label={`Second factor in ${item.organization}`}
                    value={item.second_factor ?? "same"}
                    popupMatchSelectWidth={false}
                    onChange={(value: string) => set(index, { second_factor: value === "same" ? null : (value as "off") })}
                    options={[{ value: "same", label: "as above it" }, ...FACTORS.map((one) => ({ ...one, label: one.value }))]}
                  />
                </td>
                <td>
                  <Select
                    aria-label={`Passwords in ${item.organization}`}
                    value={item.ways ? (item.ways.includes("password") ? "open" : "closed") : "same"}
                    popupMatchSelectWidth={false}
                    onChange={(value: string) => set(index, { ways: value === "same" ? null : value === "open" ? ["password"] : [] })}
                    options={[
                      { value: "same", label: "as above it" },
                      { value: "open", label: "allowed" },
                      { value: "closed", label: "closed" },
                    ]}
                  />
                </td>
                <td>
                  <Select
                    aria-label={`Query door in ${item.organization}`}
                    value={item.door === null || item.door === undefined ? "same" : item.door ? "open" : "closed"}
                    popupMatchSelectWidth={false}
                    onChange={(value: string) => set(index, { door: value === "same" ? null : value === "open" })}
                    options={[
                      { value: "same", label: "as above it" },
                      { value: "open", label: "allowed" },
                      { value: "closed", label: "closed" },
                    ]}
                  />
                </td>
                <td>
                  <button
                    type="button"
                    className="plain soft"
                    aria-label={`Take out ${item.organization}`}
                    onClick={() => onChange(rules.filter((_, place) => place !== index))}
                  >
                    ×
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <p className="above-6">
        <Select
          showSearch
          optionFilterProp="label"
          aria-label="Add an organization"
          className="least-180"
          popupMatchSelectWidth={false}
          placeholder="+ organization"
          value={null}
          onChange={(organization: string) =>
            onChange([...rules, { organization, expiry_days: null, second_factor: null, ways: null, door: null }])
          }
          options={organizations
            .filter((item) => !named.has(item.name))
            .map((item) => ({ value: item.name, label: item.label ?? item.name }))}
        />
      </p>
    </>
  );
}
