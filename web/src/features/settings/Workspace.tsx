import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button, Input, InputNumber, Select } from "antd";
import { useState } from "react";
import { api, data, type Schemas } from "../../api/client";
import { saveFile } from "../../api/download";
import { queries, useChanged } from "../../api/queries";
import { useRights } from "../../state/rights";
import { Notice } from "../../ui/Notice";
import { BundleFiles } from "./BundleFiles";

/** The name and time zone of the workspace. */
export function Workspace() {
  const stored = useQuery(queries.signInRules());
  if (stored.isError) return <Notice kind="bad">{stored.error.message}</Notice>;
  return stored.data ? (
    <Form
      key={JSON.stringify([
        stored.data.workspace,
        stored.data.time_zone,
        stored.data.sensitive_tags,
        stored.data.trail_days,
        stored.data.second_person,
      ])}
      answer={stored.data}
    />
  ) : (
    <p className="soft">Opening…</p>
  );
}

function Form({ answer }: { answer: Schemas["RulesAnswer"] }) {
  const changed = useChanged();
  const { everywhere } = useRights();
  const { message } = App.useApp();
  const [name, setName] = useState(answer.workspace);
  const [zone, setZone] = useState(answer.time_zone);
  const [tags, setTags] = useState(answer.sensitive_tags);
  const [days, setDays] = useState(answer.trail_days);
  const [second, setSecond] = useState(answer.second_person);
  const models = useQuery(queries.state()).data?.models ?? [];
  const save = useMutation({
    mutationFn: () =>
      data(
        api.PUT("/api/settings/workspace", {
          body: { name: name.trim(), time_zone: zone, sensitive_tags: tags, trail_days: days, second_person: second },
        }),
      ),
    onSuccess: async () => {
      await changed();
      message.success("Saved.");
    },
  });
  return (
    <section aria-label="Workspace">
      <h2>Workspace</h2>
      <div className="rules">
        <label htmlFor="space-name">Name</label>
        <Input id="space-name" maxLength={200} value={name} onChange={(event) => setName(event.target.value)} />
        <label htmlFor="space-zone">Time zone, in which a day begins and ends</label>
        <Select
          id="space-zone"
          showSearch
          value={zone}
          onChange={setZone}
          options={["UTC", ...Intl.supportedValuesOf("timeZone")].map((value) => ({ value, label: value }))}
        />
        <label htmlFor="space-tags">Tags that mark what is sensitive, on Reach and in reviews</label>
        <Select id="space-tags" mode="tags" value={tags} onChange={setTags} placeholder="none" open={false} suffixIcon={null} />
        <label htmlFor="space-second">Releases that a second person approves</label>
        <Select
          id="space-second"
          mode="multiple"
          value={second}
          onChange={(chosen: string[]) => setSecond(chosen.includes("*") ? ["*"] : chosen)}
          placeholder="none"
          options={[
            { value: "*", label: "every release" },
            ...models.map((model) => ({ value: model.name, label: `changes of ${model.label}` })),
          ]}
        />
        <label htmlFor="space-trail">The trail is kept for so many days; a sealed summary stays of what goes</label>
        <InputNumber id="space-trail" min={30} max={36500} value={days} onChange={setDays} placeholder="for good" />
        <span className="soft">Mail</span>
        <span>{answer.mail ? "is set up" : "is not set up: links are shown to who makes them"}</span>
      </div>
      {save.isError && <Notice kind="bad">{save.error.message}</Notice>}
      <p className="row">
        <Button
          type="primary"
          disabled={
            name.trim() === "" ||
            (name.trim() === answer.workspace &&
              zone === answer.time_zone &&
              days === answer.trail_days &&
              second.join() === answer.second_person.join() &&
              tags.join() === answer.sensitive_tags.join())
          }
          loading={save.isPending}
          onClick={() => save.mutate()}
        >
          Save
        </Button>
      </p>
      {everywhere("settings") && everywhere("people") && (
        <>
          <BundleFiles />
          <Backup />
        </>
      )}
    </section>
  );
}

/** The whole workspace as one file. */
function Backup() {
  const { message } = App.useApp();
  const [busy, setBusy] = useState(false);
  const take = async () => {
    setBusy(true);
    try {
      await saveFile("/api/settings/backup", {}, "moorland.sqlite3");
    } catch (error) {
      message.error((error as Error).message);
    } finally {
      setBusy(false);
    }
  };
  return (
    <>
      <h3>Backup</h3>
      <p className="soft">
        The whole workspace in one file, as it is now. Its keys are not in it: keep the key files of the workspace’s folder apart.{" "}
        <code>moorland restore FILE</code> brings it back.
      </p>
      <Button loading={busy} onClick={() => void take()}>
        Download a backup
      </Button>
    </>
  );
}
