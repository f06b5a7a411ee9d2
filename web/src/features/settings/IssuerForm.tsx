import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button, Checkbox, Input, InputNumber, Modal, Select } from "antd";
import { useState } from "react";
import { ApiError, api, data, type Schemas } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { usePeople } from "../../state/directory";
import { Notice } from "../../ui/Notice";

type Text = Schemas["IssuerText"];

const EMPTY: Text = {
  name: "",
  label: "",
  audience: "",
  signing: "ES256",
  keys: null,
  public_key: null,
  origins: [],
  pages: [],
  groups: [],
  attributes: [],
  organization: null,
  everyone: false,
  longest_seconds: 300,
};
const SIGNING: { value: NonNullable<Text["signing"]>; label: string }[] = [
  { value: "ES256", label: "ES256: a private key, elliptic curve" },
  { value: "EdDSA", label: "EdDSA: a private key, Ed25519" },
  { value: "RS256", label: "RS256: a private key, RSA" },
  { value: "PS256", label: "PS256: a private key, RSA with PSS" },
  { value: "HS256", label: "HS256: a secret both sides know" },
];

/** An issuer to keep: how its tokens are proved, where its frames stand, and what it may say. */
export function IssuerForm({ entry, close }: { entry: Schemas["IssuerEntry"] | null; close: () => void }) {
  const people = usePeople();
  const pages = useQuery(queries.pages("live"));
  const changed = useChanged();
  const { message } = App.useApp();
  const [text, setText] = useState<Text>(entry?.text ?? EMPTY);
  const [key, setKey] = useState(entry?.text.public_key ?? (entry?.text.keys ? JSON.stringify(entry.text.keys, null, 2) : ""));
  const [secret, setSecret] = useState("");
  const [enabled, setEnabled] = useState(entry?.enabled ?? true);
  const set = (change: Partial<Text>) => setText({ ...text, ...change });
  const save = useMutation({
    mutationFn: () =>
      data(
        api.PUT("/api/settings/issuers", {
          body: { text: { ...text, ...keysOf(text, key) }, secret: secret || null, version: entry?.version ?? null, enabled },
        }),
      ),
    onSuccess: async () => {
      await changed();
      message.success("Kept. It acts at once; frames that are open ask for a new token.");
      close();
    },
  });
  const wrong = save.error instanceof ApiError ? save.error : null;
  const at = (path: string) => wrong?.problems.some((problem) => problem.path?.startsWith(path));
  const definitions = people.data?.attributes ?? [];
  return (
    <Modal
      open
      width={720}
      title={entry ? `The issuer ${entry.text.name}` : "An application that vouches for people"}
      okText="Keep it"
      okButtonProps={{
        loading: save.isPending,
        disabled: !text.name || !text.audience || text.origins.length === 0 || text.pages.length === 0,
      }}
      onOk={() => save.mutate()}
      onCancel={close}
    >
      <div className="issuer-form">
        <label htmlFor="issuer-name">Name (iss)</label>
        <Input
          id="issuer-name"
          disabled={entry !== null}
          status={at("name") ? "error" : undefined}
          placeholder="land-portal"
          value={text.name}
          onChange={(event) => set({ name: event.target.value })}
        />
        <label htmlFor="issuer-label">Called</label>
        <Input id="issuer-label" value={text.label} onChange={(event) => set({ label: event.target.value })} />
        <label htmlFor="issuer-audience">Audience (aud)</label>
        <Input
          id="issuer-audience"
          placeholder="what its tokens say they are for"
          value={text.audience}
          onChange={(event) => set({ audience: event.target.value })}
        />
        <label htmlFor="issuer-signing">Signed with</label>
        <Select id="issuer-signing" value={text.signing} onChange={(signing) => set({ signing })} options={SIGNING} />
        {text.signing === "HS256" ? (
          <>
            <label htmlFor="issuer-secret">Secret</label>
            <Input.Password
              id="issuer-secret"
              autoComplete="new-password"
              status={at("secret") ? "error" : undefined}
              placeholder={entry?.has_secret ? "left as it is" : "at least 32 signs"}
              value={secret}
              onChange={(event) => setSecret(event.target.value)}
            />
          </>
        ) : (
          <>
            <label htmlFor="issuer-key">Public key</label>
            <Input.TextArea
              id="issuer-key"
              className="mono"
              rows={4}
              status={at("keys") || at("public_key") ? "error" : undefined}
              placeholder={'-----BEGIN PUBLIC KEY-----, or a key set: {"keys": [{"kid": …}]}'}
              value={key}
              onChange={(event) => setKey(event.target.value)}
            />
          </>
        )}
        <label htmlFor="issuer-origins">Shown in</label>
        <Select
          id="issuer-origins"
          mode="tags"
          open={false}
          placeholder="https://portal.example, then Enter"
          value={text.origins}
          onChange={(origins: string[]) => set({ origins })}
        />
        <label htmlFor="issuer-pages">Pages</label>
        <Select
          id="issuer-pages"
          mode="multiple"
          optionFilterProp="label"
          value={text.pages}
          onChange={(chosen: string[]) => set({ pages: chosen })}
          options={(pages.data?.shelves.flatMap((shelf) => shelf.pages) ?? []).map((item) => ({
            value: item.page.name,
            label: item.page.label ?? item.page.name,
          }))}
        />
        <label htmlFor="issuer-groups">Groups it may say</label>
        <Select
          id="issuer-groups"
          mode="multiple"
          optionFilterProp="label"
          placeholder="none"
          value={text.groups}
          onChange={(groups: string[]) => set({ groups })}
          options={(people.data?.groups ?? []).map((item) => ({ value: item.name, label: item.label ?? item.name }))}
        />
        <span>Attributes it may say</span>
        <div>
          {(text.attributes ?? []).map((item, index) => (
            <p key={item.attribute} className="row">
              <code>{item.attribute}</code>
              <Select
                aria-label={`Values of ${item.attribute}`}
                className="grow"
                mode="tags"
                open={false}
                placeholder="any value; or write those it may say"
                value={(item.values ?? []).map(String)}
                onChange={(values: string[]) =>
                  set({
                    attributes: text.attributes?.map((one, place) =>
                      place === index
                        ? { ...one, values: values.length > 0 ? values.map((value) => typed(value, kindOf(one.attribute))) : null }
                        : one,
                    ),
                  })
                }
              />
              <Button
                size="small"
                aria-label={`Take out ${item.attribute}`}
                onClick={() => set({ attributes: text.attributes?.filter((_, place) => place !== index) })}
              >
                ×
              </Button>
            </p>
          ))}
          <Select
            aria-label="Add an attribute"
            className="least-180"
            popupMatchSelectWidth={false}
            placeholder="+ attribute"
            value={null}
            onChange={(attribute: string) => set({ attributes: [...(text.attributes ?? []), { attribute, values: null }] })}
            options={definitions
              .filter((item) => !text.attributes?.some((one) => one.attribute === item.name))
              .map((item) => ({ value: item.name, label: item.label ?? item.name }))}
          />
        </div>
        <label htmlFor="issuer-organization">Organization</label>
        <Select
          id="issuer-organization"
          allowClear
          placeholder="the root"
          value={text.organization ?? undefined}
          onChange={(organization?: string) => set({ organization: organization ?? null })}
          options={(people.data?.organizations ?? []).map((item) => ({ value: item.name, label: item.label ?? item.name }))}
        />
        <label htmlFor="issuer-longest">Longest life, seconds</label>
        <InputNumber
          id="issuer-longest"
          min={30}
          max={600}
          value={text.longest_seconds}
          onChange={(value) => value !== null && set({ longest_seconds: Math.round(value) })}
        />
        <span />
        <div className="column">
          <Checkbox checked={text.everyone} onChange={(event) => set({ everyone: event.target.checked })}>
            Its people hold what is assigned to everyone
          </Checkbox>
          <Checkbox checked={enabled} onChange={(event) => setEnabled(event.target.checked)}>
            It may vouch for people
          </Checkbox>
        </div>
      </div>
      {save.isError && <Notice kind="bad">{save.error.message}</Notice>}
    </Modal>
  );

  function kindOf(attribute: string): string {
    return definitions.find((item) => item.name === attribute)?.type ?? "text";
  }
}

/** The keys as they were written: a key set, or one key. */
function keysOf(text: Text, written: string): Pick<Text, "keys" | "public_key"> {
  const plain = written.trim();
  if (text.signing === "HS256" || plain === "") return { keys: null, public_key: null };
  if (!plain.startsWith("{")) return { keys: null, public_key: plain };
  try {
    return { keys: JSON.parse(plain) as Text["keys"], public_key: null };
  } catch {
    return { keys: null, public_key: plain };
  }
}

function typed(value: string, kind: string): string | number | boolean {
  if (kind === "boolean") return value === "true";
  return kind === "integer" || kind === "number" ? Number(value) : value;
}
