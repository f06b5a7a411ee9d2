import { useMutation } from "@tanstack/react-query";
import { App, Checkbox, DatePicker, Input, Modal, Radio, Select } from "antd";
import dayjs from "dayjs";
import { useState } from "react";
import { api, data, type Schemas } from "../../api/client";
import { useChanged } from "../../api/queries";
import { usePeople } from "../../state/directory";
import { type Act, actLabel } from "../../state/rights";
import { DialogFooter } from "../../ui/DialogFooter";
import { Notice } from "../../ui/Notice";
import { type Dimension, type Duty, dimensionsOf, type Entry, EVERYTHING, type Scope } from "./duties";

type Answer = Schemas["DutiesAnswer"];

const TITLES: Record<Dimension, string> = {
  people: "People",
  models: "Models",
  roles: "Roles",
  shelves: "Shelves",
  sources: "Sources",
  attributes: "Attributes",
};

/** A duty to give, or to change. */
export function DutyForm({
  entry,
  answer,
  holder,
  close,
}: {
  entry: Entry | null;
  answer: Answer;
  holder: string | null;
  close: () => void;
}) {
  const people = usePeople();
  const changed = useChanged();
  const { message, modal } = App.useApp();
  const old = entry?.duty;
  const [who, setWho] = useState(old ? (old.user ? `user:${old.user}` : `group:${old.group}`) : holder ? `user:${holder}` : undefined);
  const [acts, setActs] = useState<Act[]>(old?.acts ?? []);
  const [bounded, setBounded] = useState(old !== undefined && old.within !== "everything");
  const [scope, setScope] = useState<Scope>(old && old.within !== "everything" ? old.within : EVERYTHING);
  const [from, setFrom] = useState(old?.from ?? null);
  const [until, setUntil] = useState(old?.until ?? null);
  const [reason, setReason] = useState(old?.reason ?? "");
  const dimensions = dimensionsOf(acts, answer.acts);
  const [kind, name] = who?.startsWith("group:") ? ["group", who.slice(6)] : ["user", who?.slice(5) ?? ""];
  const duty = (): Duty => ({
    user: kind === "user" ? name : null,
    group: kind === "group" ? name : null,
    acts: answer.acts.map((item) => item.name).filter((act) => acts.includes(act)),
    within: bounded ? (Object.fromEntries(dimensions.map((dimension) => [dimension, scope[dimension] ?? null])) as Scope) : "everything",
    from,
    until,
    reason: reason.trim() || null,
  });
  const done = async (said: string) => {
    await changed();
    message.success(said);
    close();
  };
  const save = useMutation({
    mutationFn: () =>
      entry
        ? data(api.PUT("/api/duties/{key}", { params: { path: { key: entry.id } }, body: { duty: duty(), version: entry.version } }))
        : data(api.POST("/api/duties", { body: { duty: duty() } })),
    onSuccess: () => done(entry ? "Changed. It acts at once." : "Given. It acts at once."),
  });
  const take = useMutation({
    mutationFn: () =>
      data(api.DELETE("/api/duties/{key}", { params: { path: { key: entry?.id ?? 0 }, query: { version: entry?.version ?? 0 } } })),
    onSuccess: () => done("Taken away."),
  });
  const choose = (set: string) => {
    const ready = answer.sets.find((item) => item.name === set);
    if (!ready) return;
    setActs(ready.acts);
    setBounded(ready.chosen.length > 0);
    setScope({ ...EVERYTHING, ...Object.fromEntries(ready.chosen.map((dimension) => [dimension, dimension === "people" ? {} : []])) });
  };
  const error = save.error ?? take.error;
  return (
    <Modal
      open
      width={780}
      title={entry ? `The duty of ${entry.label}` : "Give a duty"}
      onCancel={close}
      okText={entry ? "Save" : "Give it"}
      okButtonProps={{ disabled: !who || acts.length === 0, loading: save.isPending }}
      onOk={() => save.mutate()}
      footer={(_, parts) => (
        <DialogFooter
          remove={
            entry
              ? () =>
                  modal.confirm({
                    title: `Take this duty away from ${entry.label}?`,
                    content: "It ends at once. The trail keeps it.",
                    okText: "Take it away",
                    okButtonProps: { danger: true },
                    onOk: () => take.mutate(),
                  })
              : null
          }
          parts={parts}
        />
      )}
    >
      {error && <Notice kind="bad">{error.message}</Notice>}
      <div className="duty-form">
        <label htmlFor="duty-who">Who</label>
        <Select
          id="duty-who"
          showSearch
          disabled={entry !== null}
          placeholder="a person, a service or a group"
          optionFilterProp="label"
          value={who}
          onChange={setWho}
          options={[
            {
              label: "Accounts",
              options: (people.data?.people ?? []).map((item) => ({ value: `user:${item.login}`, label: `${item.name} · ${item.login}` })),
            },
            { label: "Groups", options: (people.data?.groups ?? []).map((item) => ({ value: `group:${item.name}`, label: item.label })) },
          ]}
        />
        <label htmlFor="duty-set">Start from</label>
        <Select
          id="duty-set"
          placeholder="a ready-made set, to be changed at will"
          onChange={choose}
          options={answer.sets.map((item) => ({ value: item.name, label: `${item.label}: ${item.about}` }))}
        />
        <span className="soft">May</span>
        <Checkbox.Group value={acts} onChange={(next) => setActs(next as Act[])} className="acts">
          {answer.acts.map((item) => (
            <Checkbox key={item.name} value={item.name}>
              {actLabel(item.name)} <span className="soft small">{item.allows}</span>
            </Checkbox>
          ))}
        </Checkbox.Group>
        <span className="soft">Within</span>
        <Radio.Group value={bounded} onChange={(event) => setBounded(event.target.value as boolean)}>
          <Radio value={false}>everything</Radio>
          <Radio value={true} disabled={dimensions.length === 0}>
            only these
          </Radio>
        </Radio.Group>
        {bounded &&
          dimensions.map((dimension) => (
            <DimensionField
              key={dimension}
              dimension={dimension}
              scope={scope}
              setScope={setScope}
              options={
                dimension === "models"
                  ? answer.models
                  : dimension === "roles"
                    ? answer.roles
                    : dimension === "shelves"
                      ? answer.shelves
                      : null
              }
            />
          ))}
        <label htmlFor="duty-from">From, until</label>
        <div className="row">
          <DatePicker id="duty-from" value={from ? dayjs(from) : null} onChange={(day) => setFrom(day ? day.format("YYYY-MM-DD") : null)} />
          <DatePicker
            aria-label="Until"
            placeholder="without end"
            value={until ? dayjs(until) : null}
            onChange={(day) => setUntil(day ? day.format("YYYY-MM-DD") : null)}
          />
        </div>
        <label htmlFor="duty-reason">Reason</label>
        <Input id="duty-reason" maxLength={400} value={reason} onChange={(event) => setReason(event.target.value)} />
      </div>
    </Modal>
  );
}

function DimensionField({
  dimension,
  scope,
  setScope,
  options,
}: {
  dimension: Dimension;
  scope: Scope;
  setScope: (scope: Scope) => void;
  options: Record<string, string> | null;
}) {
  const people = usePeople();
  const named = scope[dimension];
  const all = named === "all";
  const attributes = (people.data?.attributes ?? []).map((item) => ({ value: item.name, label: item.label ?? item.name }));
  const choices = dimension === "attributes" ? attributes : Object.entries(options ?? {}).map(([value, label]) => ({ value, label }));
  const within = named && named !== "all" && !Array.isArray(named) ? named : {};
  const part = (key: "organizations" | "groups" | "users", title: string, from: { value: string; label: string }[]) => (
    <Select
      mode="multiple"
      allowClear
      aria-label={title}
      placeholder={title}
      optionFilterProp="label"
      value={within[key] ?? []}
      onChange={(names: string[]) => setScope({ ...scope, people: { ...within, [key]: names } })}
      options={from}
    />
  );
  return (
    <>
      <span className="soft">{TITLES[dimension]}</span>
      <div className="dimension">
        <Checkbox
          checked={all}
          onChange={(event) => setScope({ ...scope, [dimension]: event.target.checked ? "all" : dimension === "people" ? {} : [] })}
        >
          all
        </Checkbox>
        {!all && dimension === "people" && (
          <>
            {part(
              "organizations",
              "organizations, with all below",
              (people.data?.organizations ?? []).map((item) => ({ value: item.name, label: item.label })),
            )}
            {part(
              "groups",
              "groups",
              (people.data?.groups ?? []).map((item) => ({ value: item.name, label: item.label })),
            )}
            {part(
              "users",
              "single people",
              (people.data?.people ?? []).map((item) => ({ value: item.login, label: `${item.name} · ${item.login}` })),
            )}
          </>
        )}
        {!all && dimension !== "people" && (
          <Select
            mode={dimension === "sources" ? "tags" : "multiple"}
            allowClear
            aria-label={TITLES[dimension]}
            placeholder={`which ${TITLES[dimension].toLowerCase()}`}
            optionFilterProp="label"
            value={Array.isArray(named) ? named : []}
            onChange={(names: string[]) => setScope({ ...scope, [dimension]: names })}
            options={choices}
          />
        )}
      </div>
    </>
  );
}
