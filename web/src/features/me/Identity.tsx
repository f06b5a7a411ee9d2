import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button, Input, Select } from "antd";
import { useState } from "react";
import { api, data, type Schemas } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { Impact } from "../../ui/Impact";
import { alike } from "../../ui/impactLines";
import { Notice } from "../../ui/Notice";
import { useDelayed } from "../../ui/useDelayed";

type Own = Schemas["OwnAccount"];
type Value = Own["attributes"][number]["value"];

/** A value of an attribute as it was typed; null where nothing is. */
function typed(definition: Own["attributes"][number]["definition"], texts: string[]): Value {
  const one = (text: string) =>
    definition.type === "integer" || definition.type === "number" ? Number(text) : definition.type === "boolean" ? text === "true" : text;
  const filled = texts.map((text) => text.trim()).filter((text) => text !== "");
  if (filled.length === 0) return null;
  return definition.multiple ? filled.map(one) : one(filled[0] ?? "");
}

const texts = (value: Value): string[] =>
  value === null || value === undefined ? [] : Array.isArray(value) ? value.map(String) : [String(value)];

/** Name, mail and the values that are one's own to change, with what they change said before they are saved. */
export function Identity({ own }: { own: Own }) {
  const changed = useChanged();
  const { message } = App.useApp();
  const [name, setName] = useState(own.name);
  const [email, setEmail] = useState(own.email ?? "");
  const [values, setValues] = useState<Record<string, string[]>>({});
  const editable = own.attributes.filter((item) => item.editable);
  const attributes = Object.fromEntries(
    editable
      .filter((item) => values[item.definition.name] !== undefined)
      .map((item) => [item.definition.name, typed(item.definition, values[item.definition.name] ?? [])]),
  );
  const body = {
    version: own.version,
    name: name.trim() !== own.name && name.trim() !== "" ? name.trim() : null,
    email: email.trim() !== (own.email ?? "") ? email.trim() : null,
    attributes,
  };
  const dirty = body.name !== null || body.email !== null || Object.keys(attributes).length > 0;
  const settled = useDelayed(JSON.stringify(body), 400);
  const effect = useQuery({
    ...queries.tried(["own", settled], () =>
      data(api.PATCH("/api/my/account", { params: { query: { try: true } }, body: JSON.parse(settled) })),
    ),
    enabled: dirty,
  });
  const save = useMutation({
    mutationFn: () => data(api.PATCH("/api/my/account", { body })),
    onSuccess: async () => {
      await changed();
      message.success("Saved. It acts at once.");
    },
  });
  const error = save.error ?? (dirty ? effect.error : null);
  return (
    <section aria-label="Who you are">
      <h3>Who you are</h3>
      <div className="own-fields">
        <label htmlFor="own-name">Name</label>
        <Input id="own-name" value={name} maxLength={200} onChange={(event) => setName(event.target.value)} />
        <label htmlFor="own-mail">E-mail</label>
        <Input id="own-mail" type="email" value={email} maxLength={254} onChange={(event) => setEmail(event.target.value)} />
        {own.attributes.map((item) => {
          const { definition } = item;
          const shown = values[definition.name] ?? texts(item.value);
          const id = `own-${definition.name}`;
          if (!item.editable)
            return shown.length === 0 ? null : (
              <div key={definition.name} className="own-line">
                <span className="soft">{definition.label ?? definition.name}</span>
                <span>
                  {shown.join(", ")} <span className="soft small">set for you</span>
                </span>
              </div>
            );
          return (
            <div key={definition.name} className="own-line">
              <label htmlFor={id}>{definition.label ?? definition.name}</label>
              {definition.multiple ? (
                <Select
                  id={id}
                  mode="tags"
                  open={false}
                  value={shown}
                  onChange={(next: string[]) => setValues({ ...values, [definition.name]: next })}
                />
              ) : (
                <Input
                  id={id}
                  value={shown[0] ?? ""}
                  onChange={(event) => setValues({ ...values, [definition.name]: [event.target.value] })}
                />
              )}
            </div>
          );
        })}
      </div>
      {error && <Notice kind="bad">{error.message}</Notice>}
      {dirty && effect.data && (
        <div data-testid="own-effect">
          {effect.data.viewers.length === 0 ? (
            <p className="soft">You see the same as before.</p>
          ) : (
            <Impact groups={alike(effect.data.viewers)} />
          )}
        </div>
      )}
      <p className="row">
        <Button
          type="primary"
          disabled={!dirty || !effect.data || settled !== JSON.stringify(body)}
          loading={save.isPending}
          onClick={() => save.mutate()}
        >
          Save
        </Button>
        {dirty && (
          <button
            type="button"
            className="textlink"
            onClick={() => {
              setName(own.name);
              setEmail(own.email ?? "");
              setValues({});
            }}
          >
            take back
          </button>
        )}
      </p>
    </section>
  );
}
