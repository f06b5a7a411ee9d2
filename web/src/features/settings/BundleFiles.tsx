import { useMutation } from "@tanstack/react-query";
import { App, Button, Checkbox, Upload } from "antd";
import { useState } from "react";
import { Link } from "react-router-dom";
import { api, data, type Schemas } from "../../api/client";
import { saveFile } from "../../api/download";
import { useChanged } from "../../api/queries";
import { upload as bring } from "../../api/upload";
import { Impact } from "../../ui/Impact";
import { Notice } from "../../ui/Notice";

/** The workspace as a bundle: out, to be kept in version control and checked anywhere; and in, told before it is done. */
export function BundleFiles() {
  const changed = useChanged();
  const { message } = App.useApp();
  const [rows, setRows] = useState(true);
  const [key, setKey] = useState<string | null>(null);
  const out = useMutation({
    mutationFn: () => saveFile("/api/settings/bundle", { state: "draft", data: rows }, "bundle.zip"),
    onError: (error) => message.error(error.message),
  });
  const look = useMutation({
    mutationFn: async (file: File) => {
      const made = await bring(file, () => undefined, new AbortController().signal);
      setKey(made.id);
      return data(api.POST("/api/settings/bundle/import", { body: { upload: made.id, data: rows, apply: false } }));
    },
  });
  const take = useMutation({
    mutationFn: (upload: string) => data(api.POST("/api/settings/bundle/import", { body: { upload, data: rows, apply: true } })),
    onSuccess: async () => {
      await changed();
      look.reset();
      message.success("Taken in. What is of the draft acts with the next release.");
    },
  });
  const error = look.error ?? take.error;
  return (
    <section aria-label="Bundle">
      <h3>Bundle</h3>
      <p className="soft most-980">
        The workspace as a folder of files, packed: people, models, roles, pages, promises, and how the workspace is set up; no passwords,
        keys or secret values. Keep it in version control, check it anywhere with <code>moorland check</code>, and bring it back.
      </p>
      <div className="row">
        <Button loading={out.isPending} onClick={() => out.mutate()}>
          Download the draft as a bundle
        </Button>
        <Upload
          accept=".zip"
          showUploadList={false}
          beforeUpload={(file) => {
            take.reset();
            look.mutate(file);
            return false;
          }}
        >
          <Button loading={look.isPending}>Bring a bundle…</Button>
        </Upload>
        <Checkbox checked={rows} onChange={(event) => setRows(event.target.checked)}>
          with the rows of the tables
        </Checkbox>
      </div>
      {error && <Notice kind="bad">{error.message}</Notice>}
      {look.data && key && <Plan plan={look.data} busy={take.isPending} take={() => take.mutate(key)} leave={() => look.reset()} />}
      {take.isSuccess && !look.data && (
        <p className="small">
          <Link to="/releases">Review what the draft changes</Link>
        </p>
      )}
    </section>
  );
}

function Plan({ plan, busy, take, leave }: { plan: Schemas["BundlePlan"]; busy: boolean; take: () => void; leave: () => void }) {
  const lines = [
    ...plan.policy.map((item) => `draft: ${item.kind} ${item.label} ${item.change}`),
    ...plan.people,
    ...plan.assignments,
    ...plan.workspace,
    ...plan.tables.map((name) => `rows of ${name} replaced`),
  ];
  if (lines.length === 0) return <Notice kind="good">The workspace is as the bundle says already.</Notice>;
  return (
    <section aria-label="What the bundle changes" className="above-12">
      <h3>What it would change</h3>
      <ul className="small">
        {lines.slice(0, 60).map((line) => (
          <li key={line}>{line}</li>
        ))}
        {lines.length > 60 && <li>and {lines.length - 60} more</li>}
      </ul>
      <h3>Who gains and who loses</h3>
      <Impact groups={plan.viewers} />
      <div className="row above-12">
        <Button type="primary" loading={busy} onClick={take}>
          Take it in, all of it
        </Button>
        <Button onClick={leave}>Leave everything as it is</Button>
        <span className="soft small">People and assignments act at once; roles, models, pages and promises with the next release.</span>
      </div>
    </section>
  );
}
