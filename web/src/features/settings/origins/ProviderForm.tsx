import { useMutation } from "@tanstack/react-query";
import { App, Checkbox, Input, Modal } from "antd";
import { useState } from "react";
import { ApiError, api, data, type Schemas } from "../../../api/client";
import { useChanged } from "../../../api/queries";
import { usePeople } from "../../../state/directory";
import { Notice } from "../../../ui/Notice";
import { Home } from "./Home";
import { HourlyBounds } from "./HourlyBounds";
import { Listed } from "./Listed";
import "./origins.css";
import { Offered } from "../../../ui/Offered";

type Text = Schemas["OidcText"];

const CLAIMS = ["preferred_username", "sub", "email", "name", "nickname", "groups", "roles", "department", "organization"];

/** A provider by which people sign in: which of its claims say what, which groups it may give, and whether it makes accounts. */
export function ProviderForm({ entry, close }: { entry: Schemas["OriginEntry"] | null; close: () => void }) {
  const changed = useChanged();
  const { message } = App.useApp();
  const people = usePeople();
  const [text, setText] = useState<Text>(
    entry
      ? (entry.origin as Text)
      : {
          kind: "oidc",
          name: "",
          issuer: "",
          client_id: "",
          attributes: {},
          listed: [],
          creates: false,
          bounds: { gain: 5, lose: 20, gone_percent: 20 },
        },
  );
  const [secret, setSecret] = useState<string | null>(null);
  const set = (change: Partial<Text>) => setText({ ...text, ...change });
  const save = useMutation({
    mutationFn: () => data(api.PUT("/api/settings/origins", { body: { origin: text, secret, version: entry?.version ?? null } })),
    onSuccess: async () => {
      await changed("people");
      message.success("Kept. It stands on the page where people sign in.");
      close();
    },
  });
  const attributes = text.attributes ?? {};
  const give = (name: string, value: string) => {
    const { [name]: _, ...others } = attributes;
    set({ attributes: value === "" ? others : { ...others, [name]: value } });
  };
  const claim = (id: string, label: string, value: string, change: (value: string) => void, hint = "") => (
    <div className="answer">
      <label htmlFor={id}>{label}</label>
      <Offered id={id} className="mono" placeholder={hint} value={value} offers={CLAIMS} change={change} />
    </div>
  );
  return (
    <Modal
      open
      width={760}
      title={entry ? `Signing in by ${entry.origin.label || entry.origin.name}` : "Sign in by a provider"}
      okText="Keep it"
      okButtonProps={{ disabled: !(/^[A-Za-z0-9._-]+$/.test(text.name) && text.issuer && text.client_id), loading: save.isPending }}
      onOk={() => save.mutate()}
      onCancel={close}
    >
      <div className="answers">
        <label htmlFor="oidc-name">Name</label>
        <Input
          id="oidc-name"
          autoFocus={!entry}
          disabled={entry !== null}
          placeholder="company"
          value={text.name}
          onChange={(event) => set({ name: event.target.value })}
        />
        <label htmlFor="oidc-label">Called</label>
        <Input
          id="oidc-label"
          placeholder="as it stands on the button"
          value={text.label ?? ""}
          onChange={(event) => set({ label: event.target.value })}
        />
        <label htmlFor="oidc-issuer">Issuer</label>
        <Input
          id="oidc-issuer"
          className="mono"
          placeholder="https://login.example.org"
          value={text.issuer}
          onChange={(event) => set({ issuer: event.target.value })}
        />
        <label htmlFor="oidc-client">Client</label>
        <Input
          id="oidc-client"
          className="mono"
          placeholder="the client's id there"
          value={text.client_id}
          onChange={(event) => set({ client_id: event.target.value })}
        />
        <label htmlFor="oidc-secret">Secret</label>
        <Input.Password
          id="oidc-secret"
          autoComplete="new-password"
          placeholder={entry?.has_secret ? "left as it is; cleared where issuer or client change" : "the client's secret, where it has one"}
          value={secret ?? ""}
          onChange={(event) => setSecret(event.target.value || null)}
        />
        <span />
        <span className="soft small">
          Register there that people come back to <code>{`${window.location.origin}/api/session/by/${text.name || "…"}/back`}</code>.
        </span>
        {claim("oidc-login", "Login", text.login ?? "preferred_username", (login) => set({ login }))}
        {claim("oidc-display", "Name of a person", text.display_name ?? "name", (display_name) => set({ display_name }))}
        {claim(
          "oidc-groups",
          "Groups",
          text.groups ?? "",
          (groups) => set({ groups }),
          "a claim that lists groups; blank: it says nothing of groups",
        )}
        {claim(
          "oidc-organization",
          "Organization",
          text.organization ?? "",
          (organization) => set({ organization }),
          "a claim that names it",
        )}
        <Home id="oidc-home" home={text.home ?? null} change={(home) => set({ home })} />
        {(people.data?.attributes ?? []).map((item) => (
          <div key={item.name} className="answer">
            {claim(`oidc-attribute-${item.name}`, item.name, attributes[item.name] ?? "", (value) => give(item.name, value), "kept here")}
          </div>
        ))}
        <span>First time</span>
        <Checkbox checked={text.creates ?? false} onChange={(event) => set({ creates: event.target.checked })}>
          whoever signs in first gets an account by it; else only who is joined here comes in
        </Checkbox>
        <HourlyBounds bounds={text.bounds ?? {}} change={(bounds) => set({ bounds })} />
      </div>
      <Listed listed={text.listed ?? []} set={(listed) => set({ listed })} unlisted={[]} what="a claim fills no group that is not listed" />
      {save.error && <Notice kind="bad">{save.error instanceof ApiError ? save.error.message : "This could not be kept."}</Notice>}
    </Modal>
  );
}
