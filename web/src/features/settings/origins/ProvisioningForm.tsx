import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button, Input, Modal, Typography } from "antd";
import { useState } from "react";
import { ApiError, api, data, type Schemas } from "../../../api/client";
import { queries, useChanged } from "../../../api/queries";
import { usePeople } from "../../../state/directory";
import { Notice } from "../../../ui/Notice";
import { when } from "../../../ui/when";
import { Home } from "./Home";
import { HourlyBounds } from "./HourlyBounds";
import { Listed } from "./Listed";
import "./origins.css";
import { Offered } from "../../../ui/Offered";

type Text = Schemas["ScimText"];

const ENTERPRISE = "urn:ietf:params:scim:schemas:extension:enterprise:2.0:User";
const PATHS = [
  "title",
  "userType",
  "preferredLanguage",
  "locale",
  "timezone",
  `${ENTERPRISE}:department`,
  `${ENTERPRISE}:division`,
  `${ENTERPRISE}:costCenter`,
  `${ENTERPRISE}:organization`,
  `${ENTERPRISE}:employeeNumber`,
];

/** A client that provisions people: what of them fills what here, by which tokens it comes, and how far it may go by itself. */
export function ProvisioningForm({ entry, close }: { entry: Schemas["OriginEntry"] | null; close: () => void }) {
  const changed = useChanged();
  const { message } = App.useApp();
  const people = usePeople();
  const origins = useQuery(queries.origins());
  const [text, setText] = useState<Text>(
    entry
      ? (entry.origin as Text)
      : { kind: "scim", name: "", attributes: {}, listed: [], bounds: { gain: 5, lose: 20, gone_percent: 20 } },
  );
  const [token, setToken] = useState<string | null>(null);
  const [tokenName, setTokenName] = useState("");
  const set = (change: Partial<Text>) => setText({ ...text, ...change });
  const stored = origins.data?.origins.find((item) => item.origin.name === text.name && item.origin.kind === "scim") ?? null;
  const save = useMutation({
    mutationFn: () => data(api.PUT("/api/settings/origins", { body: { origin: text, version: stored?.version ?? null } })),
    onSuccess: async () => {
      await changed("people");
      message.success("Kept.");
      if (stored) close();
    },
  });
  const make = useMutation({
    mutationFn: () =>
      data(
        api.POST("/api/settings/origins/of/{name}/tokens", {
          params: { path: { name: text.name } },
          body: { name: tokenName || "client" },
        }),
      ),
    onSuccess: async (made) => {
      setToken(made.token);
      await changed("people");
    },
  });
  const end = useMutation({
    mutationFn: (key: number) =>
      data(api.DELETE("/api/settings/origins/of/{name}/tokens/{key}", { params: { path: { name: text.name, key } } })),
    onSuccess: () => changed("people"),
  });
  const attributes = text.attributes ?? {};
  const give = (name: string, value: string) => {
    const { [name]: _, ...others } = attributes;
    set({ attributes: value === "" ? others : { ...others, [name]: value } });
  };
  const error = save.error ?? make.error ?? end.error;
  return (
    <Modal
      open
      width={760}
      title={entry ? `Provisioning: ${entry.origin.label || entry.origin.name}` : "Let a client provision people"}
      okText="Keep it"
      okButtonProps={{ disabled: !/^[A-Za-z0-9._-]+$/.test(text.name), loading: save.isPending }}
      onOk={() => save.mutate()}
      cancelText="Close"
      onCancel={close}
    >
      <div className="answers">
        <label htmlFor="scim-name">Name</label>
        <Input
          id="scim-name"
          autoFocus={!entry}
          disabled={stored !== null}
          placeholder="people-office"
          value={text.name}
          onChange={(event) => set({ name: event.target.value })}
        />
        <label htmlFor="scim-label">Called</label>
        <Input id="scim-label" value={text.label ?? ""} onChange={(event) => set({ label: event.target.value })} />
        <label htmlFor="scim-organization">Organization</label>
        <Offered
          id="scim-organization"
          className="mono"
          placeholder="which attribute of a user names it"
          value={text.organization ?? ""}
          offers={PATHS}
          change={(value) => set({ organization: value || null })}
        />
        <Home id="scim-home" home={text.home ?? null} change={(home) => set({ home })} />
        {(people.data?.attributes ?? []).map((item) => (
          <div key={item.name} className="answer">
            <label htmlFor={`scim-${item.name}`}>{item.name}</label>
            <Offered
              id={`scim-${item.name}`}
              className="mono"
              placeholder="kept here"
              value={attributes[item.name] ?? ""}
              offers={PATHS}
              change={(value) => give(item.name, value)}
            />
          </div>
        ))}
        <HourlyBounds bounds={text.bounds ?? {}} change={(bounds) => set({ bounds })} />
      </div>
      <Listed
        listed={text.listed ?? []}
        set={(listed) => set({ listed })}
        unlisted={stored?.groups ?? []}
        what="groups the client makes are kept, and fill none here until they are listed"
      />
      {stored && (
        <>
          <h3 className="above-14">Tokens</h3>
          <p className="soft small">
            The client asks <code>{`${window.location.origin}/scim/v2`}</code> with one of these.
          </p>
          {stored.tokens?.map((item) => (
            <div key={item.id} className="row below-8">
              <b>{item.name}</b>
              <span className="soft small">
                made {when(item.made_at)}, {item.used_at ? `last used ${when(item.used_at)}` : "never used"}
              </span>
              <span className="grow" />
              <Button size="small" danger onClick={() => end.mutate(item.id)}>
                End it
              </Button>
            </div>
          ))}
          <div className="row">
            <Input
              aria-label="What the token is for"
              placeholder="what it is for"
              className="wide-220"
              value={tokenName}
              onChange={(event) => setTokenName(event.target.value)}
            />
            <Button loading={make.isPending} onClick={() => make.mutate()}>
              + token
            </Button>
          </div>
          {token && (
            <Notice>
              Shown this one time:{" "}
              <Typography.Text code copyable>
                {token}
              </Typography.Text>
            </Notice>
          )}
        </>
      )}
      {!stored && <p className="soft small above-6">Keep it first; then it gets a token.</p>}
      {error && <Notice kind="bad">{error instanceof ApiError ? error.message : "This could not be kept."}</Notice>}
    </Modal>
  );
}
