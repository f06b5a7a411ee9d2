import { useMutation, useQuery } from "@tanstack/react-query";
import { App, DatePicker, Input, Modal, Radio, Select } from "antd";
import type { Dayjs } from "dayjs";
import { useState } from "react";
import { type Assignment, api, data, type RoleEntry } from "../api/client";
import { queries, useChanged } from "../api/queries";
import { usePeople } from "../state/directory";
import { ConditionBuilder } from "./conditions/ConditionBuilder";
import { useCheck } from "./conditions/useCheck";
import { plural } from "./figures";
import { Breaks, Impact } from "./Impact";
import { Notice } from "./Notice";
import { useSubjects } from "./sentences/useSubjects";

/** Maps a role to groups, users, everyone or a condition; who gains and loses is shown before it acts. */
export function AddMapping({ entry, close }: { entry: RoleEntry; close: () => void }) {
  const { message } = App.useApp();
  const changed = useChanged();
  const people = usePeople();
  const [kind, setKind] = useState<"group" | "user" | "everyone" | "when">("group");
  const [names, setNames] = useState<string[]>([]);
  const [when, setWhen] = useState("");
  const subjects = useSubjects();
  const [range, setRange] = useState<[Dayjs | null, Dayjs | null]>([null, null]);
  const [reason, setReason] = useState("");
  const check = useCheck(null, null, kind === "when" ? when : "", "assignment");
  const name = entry.role.name;
  const dated = {
    ...(range[0] ? { from: range[0].format("YYYY-MM-DD") } : {}),
    ...(range[1] ? { until: range[1].format("YYYY-MM-DD") } : {}),
    ...(reason.trim() ? { reason: reason.trim() } : {}),
  };
  const add: Assignment[] =
    kind === "everyone"
      ? [{ everyone: true, ...dated }]
      : kind === "when"
        ? when.trim()
          ? [{ when, ...dated }]
          : []
        : names.map((item) => ({ [kind]: item, ...dated }));
  const problem = kind === "when" && when.trim() ? check.data?.problem : null;
  const ready = add.length > 0 && !problem;
  const preview = useQuery({
    ...queries.tried(["map", name, add], () =>
      data(api.POST("/api/roles/{name}/assignments", { params: { path: { name }, query: { try: true } }, body: { add } })),
    ),
    enabled: ready,
  });
  const confirm = useMutation({
    mutationFn: () => data(api.POST("/api/roles/{name}/assignments", { params: { path: { name } }, body: { add } })),
    onSuccess: async () => {
      await changed("people", "roles");
      message.success("Mapped. It acts at once.");
      close();
    },
  });
  const options =
    kind === "group"
      ? people.data?.groups.map((group) => ({ value: group.name, label: `${group.label} · ${group.name}` }))
      : people.data?.people.map((person) => ({ value: person.login, label: `${person.name} · ${person.login}` }));
  return (
    <Modal
      open
      width={kind === "when" ? 820 : 640}
      title={`Map ${entry.role.label ?? name} to…`}
      onCancel={close}
      okText="Map now"
      okButtonProps={{ disabled: !ready || preview.isFetching || preview.isError, loading: confirm.isPending }}
      onOk={() => confirm.mutate()}
    >
      <Radio.Group
        value={kind}
        onChange={(event) => {
          setKind(event.target.value as typeof kind);
          setNames([]);
        }}
        options={[
          { value: "group", label: "groups" },
          { value: "user", label: "users" },
          { value: "everyone", label: "everyone" },
          { value: "when", label: "a condition" },
        ]}
      />
      <div className="around-8-0">
        {(kind === "group" || kind === "user") && (
          <Select
            mode="multiple"
            aria-label={kind === "group" ? "Groups" : "Users"}
            placeholder={kind === "group" ? "Groups" : "Users"}
            className="full"
            value={names}
            onChange={setNames}
            options={options}
            optionFilterProp="label"
          />
        )}
        {kind === "when" && (
          <ConditionBuilder
            model={null}
            table={null}
            kind="assignment"
            where={when}
            onChange={setWhen}
            subjects={subjects.viewer}
            attributes={people.data?.attributes ?? []}
            label="Condition"
            hint="viewer.clearance >= 4"
            empty="say who"
          />
        )}
      </div>
      <div className="row below-8">
        <DatePicker
          aria-label="First day"
          className="least-140"
          placeholder="from (always)"
          value={range[0]}
          onChange={(day) => setRange([day, range[1]])}
        />
        <DatePicker
          aria-label="Last day"
          className="least-140"
          placeholder="until (no end)"
          value={range[1]}
          onChange={(day) => setRange([range[0], day])}
        />
        <Input aria-label="Reason" placeholder="Reason (optional)" value={reason} onChange={(event) => setReason(event.target.value)} />
      </div>
      {preview.isError && <Notice kind="bad">{preview.error.message}</Notice>}
      {confirm.isError && <Notice kind="bad">{confirm.error.message}</Notice>}
      {!entry.live && (
        <Notice kind="careful">
          This role is not in the live release yet: who is mapped now gets what it opens with the next one. Its other changes wait for a
          release; a mapping never does.
        </Notice>
      )}
      {preview.isFetching && <p className="soft">Working out who gains and loses…</p>}
      {ready && preview.data && <Reached logins={preview.data.reached} names={people.data?.people ?? []} />}
      {ready && preview.data && entry.live && <Impact groups={preview.data.viewers} />}
      {ready && preview.data && <Breaks promises={preview.data.broken} />}
    </Modal>
  );
}

/** Who is matched today, whatever else they hold. */
function Reached({ logins, names }: { logins: string[]; names: { login: string; name: string }[] }) {
  const named = (login: string) => names.find((person) => person.login === login)?.name;
  const shown = logins.slice(0, 6).map((login) => (named(login) ? `${named(login)} (${login})` : login));
  return (
    <p className="small" data-testid="reached">
      Reaches <b>{plural(logins.length, "person", "people")}</b> now{shown.length > 0 && `: ${shown.join(", ")}`}
      {logins.length > shown.length && ` and ${logins.length - shown.length} more`}.
    </p>
  );
}
