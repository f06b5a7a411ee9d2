import { useQuery } from "@tanstack/react-query";
import { Input, Modal, Select } from "antd";
import { useState } from "react";
import type { PinnedViewer, Role, Schemas } from "../api/client";
import { queries } from "../api/queries";
import { usePeople, useRoles } from "../state/directory";
import { useWorkbench } from "../state/workbench";
import { Notice } from "../ui/Notice";

type Imagined = Schemas["ImaginedPerson"];
type Value = NonNullable<Imagined["attributes"]>[string];
type Definition = Schemas["AttributeDefinition"];

/** Somebody who is not there: made up, or like somebody, but otherwise. */
export function Imagine({ start, close }: { start: PinnedViewer | null; close: () => void }) {
  const { pin } = useWorkbench();
  const people = usePeople();
  const roles = useRoles();
  const [like, setLike] = useState<string | null>(typeof start === "string" ? start : null);
  const [own, setOwn] = useState<Imagined | null>(start && typeof start === "object" && "imagine" in start ? start.imagine : null);
  const card = useQuery({ ...queries.person(like ?? "", "draft"), enabled: like !== null });
  const from: Imagined =
    like && card.data ? likeness(card.data, people.data?.people.find((item) => item.login === like)?.groups ?? []) : {};
  const now: Imagined = own ?? from;
  const change = (part: Partial<Imagined>) => setOwn({ ...now, ...part });
  const attributes = people.data?.attributes ?? [];
  const wrong = attributes.find((item) => wrongValue(item, now.attributes?.[item.name] ?? null));
  const title = like ? `Like ${people.data?.people.find((item) => item.login === like)?.name ?? like}` : "Somebody imagined";
  const differs = like ? differences(from, now) : [];
  return (
    <Modal
      open
      width={620}
      title="Imagine somebody"
      onCancel={close}
      okText="Pin"
      okButtonProps={{ disabled: wrong !== undefined || (like !== null && !card.data) }}
      onOk={() => {
        const detail = differs.length > 0 ? `but ${differs.join(", ")}` : "imagined";
        pin({
          key: `imagined:${JSON.stringify(now)}`,
          title: differs.length > 0 ? `${title}, but…` : title,
          detail,
          viewer: { imagine: now },
        });
        close();
      }}
    >
      <div className="imagine">
        <label htmlFor="imagine-like">Like</label>
        <Select
          id="imagine-like"
          allowClear
          showSearch
          placeholder="nobody in particular"
          optionFilterProp="label"
          value={like}
          onChange={(login: string | null) => {
            setLike(login ?? null);
            setOwn(null);
          }}
          options={people.data?.people.map((person) => ({ value: person.login, label: `${person.name} · ${person.login}` }))}
        />
        <label htmlFor="imagine-organization">Organization</label>
        <Select
          id="imagine-organization"
          allowClear
          showSearch
          placeholder="none"
          optionFilterProp="label"
          value={now.organization ?? null}
          onChange={(organization: string | null) => change({ organization: organization ?? null })}
          options={people.data?.organizations.map((item) => ({ value: item.name, label: item.label }))}
        />
        <label htmlFor="imagine-groups">Groups</label>
        <Select
          id="imagine-groups"
          mode="multiple"
          placeholder="none"
          optionFilterProp="label"
          value={now.groups ?? []}
          onChange={(groups) => change({ groups })}
          options={people.data?.groups.map((group) => ({ value: group.name, label: group.label }))}
        />
        {attributes.map((item) => (
          <AttributeField
            key={item.name}
            definition={item}
            value={now.attributes?.[item.name] ?? null}
            change={(value) => change({ attributes: withValue(now.attributes, item.name, value) })}
            roles={(roles.data?.roles ?? []).map((entry) => entry.role)}
          />
        ))}
        <label htmlFor="imagine-login">Login</label>
        <Input
          id="imagine-login"
          value={now.login ?? ""}
          placeholder="none"
          onChange={(event) => change({ login: event.target.value || null })}
        />
        <label htmlFor="imagine-mail">Mail</label>
        <Input
          id="imagine-mail"
          value={now.email ?? ""}
          placeholder="none"
          onChange={(event) => change({ email: event.target.value || null })}
        />
        <label htmlFor="imagine-roles">Roles</label>
        <Select
          id="imagine-roles"
          mode="multiple"
          placeholder="as they are mapped"
          optionFilterProp="label"
          value={now.only_roles ?? []}
          onChange={(names: string[]) => change({ only_roles: names.length > 0 ? names : null })}
          options={roles.data?.roles.map((entry) => ({ value: entry.role.name, label: entry.role.label ?? entry.role.name }))}
        />
      </div>
      {wrong && <Notice kind="careful">{wrongValue(wrong, now.attributes?.[wrong.name] ?? null)}</Notice>}
      {like && card.data && (
        <p className="soft small above-6">
          {differs.length > 0 ? `Otherwise than them: ${differs.join(", ")}.` : "Just like them so far."}
        </p>
      )}
      {card.isError && <Notice kind="careful">{card.error.message}</Notice>}
    </Modal>
  );
}

/** One attribute: values are offered from the columns that roles compare it with. */
function AttributeField({
  definition,
  value,
  change,
  roles,
}: {
  definition: Definition;
  value: Value;
  change: (value: Value) => void;
  roles: Role[];
}) {
  const bench = useWorkbench();
  const compared = comparedWith(definition.name, roles);
  const offered = useQuery({
    ...queries.values(compared?.model ?? bench.model ?? "", compared?.table ?? "", compared?.column ?? "", ""),
    enabled: compared !== null && !definition.allowed,
  });
  const choices = definition.allowed ?? (offered.data?.values ?? []).map((item) => item.value).filter((item) => item !== null);
  const held = value === null ? [] : Array.isArray(value) ? value : [value];
  const id = `imagine-${definition.name}`;
  return (
    <>
      <label htmlFor={id}>{definition.label ?? definition.name}</label>
      <Select
        id={id}
        mode="tags"
        maxCount={definition.multiple ? undefined : 1}
        placeholder="not set"
        value={held.map(String)}
        onChange={(texts: string[]) => {
          const typed = texts.map((text) => typedAs(definition.type, text));
          change(typed.length === 0 ? null : definition.multiple ? typed : (typed.at(-1) ?? null));
        }}
        options={[...new Set(choices.map(String))].slice(0, 200).map((text) => ({ value: text, label: text }))}
      />
    </>
  );
}

/** The column a role compares an attribute with, where some does. */
function comparedWith(name: string, roles: Role[]): { model: string; table: string; column: string } | null {
  const named = new RegExp(`(?:(\\w+)\\.)?"?(\\w+)"?\\s*(?:=|IN)\\s*\\(?\\s*viewer\\.${name}\\b`, "i");
  for (const role of roles) {
    for (const sentence of role.sentences ?? []) {
      const found = sentence.rows?.where ? named.exec(sentence.rows.where) : null;
      if (found && role.model && sentence.rows)
        return { model: role.model, table: found[1] ?? sentence.rows.table, column: found[2] ?? "" };
    }
  }
  return null;
}

function typedAs(type: string, text: string): string | number | boolean {
  if ((type === "integer" || type === "number") && text.trim() !== "" && Number.isFinite(Number(text))) return Number(text);
  if (type === "boolean" && /^(true|false)$/i.test(text)) return text.toLowerCase() === "true";
  return text;
}

/** What is wrong with a value, in a sentence; null where it fits the attribute. */
function wrongValue(definition: Definition, value: Value): string | null {
  const name = definition.label ?? definition.name;
  for (const one of value === null ? [] : Array.isArray(value) ? value : [value]) {
    const fits =
      definition.type === "integer"
        ? Number.isInteger(one)
        : definition.type === "number"
          ? typeof one === "number"
          : definition.type === "boolean"
            ? typeof one === "boolean"
            : true;
    if (!fits)
      return `${name} holds ${definition.type === "boolean" ? "true or false" : `${definition.type} values`}, and ${String(one)} is none.`;
    if (definition.allowed && !definition.allowed.includes(one)) return `${String(one)} is not among the values ${name} may have.`;
  }
  return null;
}

function withValue(attributes: Imagined["attributes"], name: string, value: Value): Imagined["attributes"] {
  const next = { ...attributes };
  if (value === null) delete next[name];
  else next[name] = value;
  return next;
}

/** A real person as somebody imagined. */
function likeness(card: Schemas["PersonCard"], groups: string[]): Imagined {
  const own = card.attributes.filter((item) => item.own !== null && item.own !== undefined);
  return {
    login: card.login,
    name: card.name,
    email: card.email,
    organization: card.organization,
    groups,
    attributes: Object.fromEntries(own.map((item) => [item.definition.name, item.own])) as Imagined["attributes"],
  };
}

/** What of somebody imagined is otherwise than the person they are like. */
function differences(from: Imagined, now: Imagined): string[] {
  const found: string[] = [];
  for (const part of ["login", "email", "organization"] as const)
    if ((from[part] ?? null) !== (now[part] ?? null)) found.push(`${part} ${now[part] ?? "none"}`);
  const groups = (one: Imagined, other: Imagined) => (one.groups ?? []).filter((name) => !(other.groups ?? []).includes(name));
  for (const name of groups(now, from)) found.push(`in ${name}`);
  for (const name of groups(from, now)) found.push(`not in ${name}`);
  for (const name of new Set([...Object.keys(from.attributes ?? {}), ...Object.keys(now.attributes ?? {})])) {
    if (JSON.stringify(from.attributes?.[name] ?? null) !== JSON.stringify(now.attributes?.[name] ?? null))
      found.push(`${name} ${String(now.attributes?.[name] ?? "not set")}`);
  }
  if (now.only_roles) found.push(`only ${now.only_roles.join(", ")}`);
  return found;
}
