import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button, DatePicker, Input, Modal, Radio, Select } from "antd";
import type { Dayjs } from "dayjs";
import { useState } from "react";
import { type Assignment, api, data, type RoleEntry } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { usePeople } from "../../state/directory";
import { ConditionBuilder } from "../../ui/conditions/ConditionBuilder";
import { useCheck } from "../../ui/conditions/useCheck";
import { plural } from "../../ui/figures";
import { Impact } from "../../ui/Impact";
import { Notice } from "../../ui/Notice";
import { useSubjects } from "../../ui/sentences/useSubjects";

function useRefresh() {
  const changed = useChanged();
  return () => changed("people", "roles");
}

function target(assignment: Assignment): string {
  return assignment.user ?? assignment.group ?? (assignment.everyone ? "everyone" : (assignment.when ?? ""));
}

function what(assignment: Assignment): string {
  return assignment.user ? "user" : assignment.group ? "group" : assignment.everyone ? "everybody" : "condition";
}

function days(assignment: Assignment): string {
  const parts = [assignment.from && `from ${assignment.from}`, assignment.until && `until ${assignment.until}`].filter(Boolean);
  return parts.join(" ");
}

/** Who the role is mapped to. Mapping acts at once and shows who gains and loses before it is confirmed. */
export function Mapping({ entry }: { entry: RoleEntry }) {
  const [adding, setAdding] = useState(false);
  const [removing, setRemoving] = useState<number | null>(null);
  const shown = entry.assignments.find((item) => item.id === removing);
  return (
    <>
      <h3>
        Mapped to <span className="aside">— acts at once</span>
      </h3>
      <div className="row wrap">
        {entry.assignments.map(({ id, assignment, people }) => (
          <span key={id} className="pill">
            <span className={`cut ${assignment.when ? "mono" : ""}`}>{target(assignment)}</span>
            <small className="soft nowrap">
              {what(assignment)} · {people}
              {days(assignment) && ` · ${days(assignment)}`}
            </small>
            <button
              type="button"
              className="plain soft"
              aria-label={`Take the role from ${target(assignment)}`}
              onClick={() => setRemoving(id)}
            >
              ×
            </button>
          </span>
        ))}
        {entry.assignments.length === 0 && <span className="soft">Nobody yet: this role has no effect.</span>}
        <button type="button" className="textlink" onClick={() => setAdding(true)}>
          + map
        </button>
      </div>
      {adding && <AddMapping entry={entry} close={() => setAdding(false)} />}
      {shown && <RemoveMapping entry={entry} id={shown.id} title={target(shown.assignment)} close={() => setRemoving(null)} />}
    </>
  );
}

export function AddMapping({ entry, close }: { entry: RoleEntry; close: () => void }) {
  const { message } = App.useApp();
  const refresh = useRefresh();
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
      await refresh();
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
      {ready && preview.data && entry.live && <Impact viewers={preview.data.viewers} />}
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

function RemoveMapping({ entry, id, title, close }: { entry: RoleEntry; id: number; title: string; close: () => void }) {
  const { message } = App.useApp();
  const refresh = useRefresh();
  const path = { name: entry.role.name, key: id };
  const preview = useQuery(
    queries.tried(["unmap", path], () =>
      data(api.DELETE("/api/roles/{name}/assignments/{key}", { params: { path, query: { try: true } } })),
    ),
  );
  const confirm = useMutation({
    mutationFn: () => data(api.DELETE("/api/roles/{name}/assignments/{key}", { params: { path } })),
    onSuccess: async () => {
      await refresh();
      message.success("Taken away. It acts at once.");
      close();
    },
  });
  return (
    <Modal
      open
      width={640}
      title={`Take ${entry.role.label ?? entry.role.name} from ${title}?`}
      onCancel={close}
      okText="Take away now"
      okButtonProps={{ danger: true, loading: confirm.isPending, disabled: !preview.data }}
      onOk={() => confirm.mutate()}
      footer={(_, { OkBtn, CancelBtn }) => (
        <>
          <CancelBtn />
          <OkBtn />
        </>
      )}
    >
      {preview.isError && <Notice kind="bad">{preview.error.message}</Notice>}
      {confirm.isError && <Notice kind="bad">{confirm.error.message}</Notice>}
      {preview.data ? <Impact viewers={preview.data.viewers} /> : <p className="soft">Working out who loses what…</p>}
    </Modal>
  );
}

export function Holders({ entry }: { entry: RoleEntry }) {
  const [open, setOpen] = useState(false);
  const ways = entry.assignments.filter((item) => item.people > 0).length;
  return (
    <>
      <button type="button" className="textlink" onClick={() => setOpen(true)}>
        held by {plural(entry.holders.length, "person", "people")}, {plural(ways, "way")}
      </button>
      <Modal
        open={open}
        onCancel={() => setOpen(false)}
        footer={<Button onClick={() => setOpen(false)}>Close</Button>}
        title={`Who holds ${entry.role.label ?? entry.role.name}`}
        width={560}
      >
        <div className="scroll low-420">
          <table className="data">
            <thead>
              <tr>
                <th>Person</th>
                <th>By</th>
              </tr>
            </thead>
            <tbody>
              {entry.holders.map((holder) => (
                <tr key={holder.login}>
                  <td>
                    {holder.name} <span className="soft small">{holder.login}</span>{" "}
                    {!holder.enabled && <span className="warn small">disabled</span>}
                  </td>
                  <td>
                    {holder.paths
                      .map((path) => (path.groups.length ? path.groups.join(" ← ") : path.assignment ? what(path.assignment) : ""))
                      .join("; ")}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          {entry.holders.length === 0 && <p className="soft">Nobody holds this role.</p>}
        </div>
      </Modal>
    </>
  );
}
