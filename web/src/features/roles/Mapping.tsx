import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Modal } from "antd";
import { memo, useState } from "react";
import { type Assignment, api, data, type RoleEntry } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { AddMapping } from "../../ui/AddMapping";
import { Impact } from "../../ui/Impact";
import { Notice } from "../../ui/Notice";

function useRefresh() {
  const changed = useChanged();
  return () => changed("people", "roles");
}

function target(assignment: Assignment): string {
  return assignment.user ?? assignment.group ?? (assignment.everyone ? "everyone" : (assignment.when ?? ""));
}

/** What kind of thing an assignment names. */
export function what(assignment: Assignment): string {
  return assignment.user ? "user" : assignment.group ? "group" : assignment.everyone ? "everybody" : "condition";
}

function days(assignment: Assignment): string {
  const parts = [assignment.from && `from ${assignment.from}`, assignment.until && `until ${assignment.until}`].filter(Boolean);
  return parts.join(" ");
}

/** Who the role is mapped to. Mapping acts at once and shows who gains and loses before it is confirmed. */
export const Mapping = memo(function Mapping({ entry }: { entry: RoleEntry }) {
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
});

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
      {preview.data ? <Impact groups={preview.data.viewers} /> : <p className="soft">Working out who loses what…</p>}
    </Modal>
  );
}
