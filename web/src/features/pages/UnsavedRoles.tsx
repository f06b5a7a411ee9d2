import { useMutation } from "@tanstack/react-query";
import { App, Button } from "antd";
import { Link } from "react-router-dom";
import { api, data } from "../../api/client";
import { useChanged } from "../../api/queries";
import { useRoles } from "../../state/directory";
import { Notice } from "../../ui/Notice";
import type { RoleEdits } from "../../ui/unsavedEdits";

/** Pages sentences that were edited here and are not saved yet: saved together into the draft, or let go. */
export function UnsavedRoles({ edits }: { edits: RoleEdits }) {
  const changed = useChanged();
  const roles = useRoles();
  const { message } = App.useApp();
  const names = edits.names();
  const save = useMutation({
    mutationFn: async () => {
      for (const name of names) {
        const edit = edits.get(name);
        if (!edit) continue;
        await data(
          api.PUT("/api/roles/{name}", {
            params: { path: { name } },
            body: { role: { ...edit.now, assigned: [] }, version: edit.version },
          }),
        );
        edits.discard(name);
      }
    },
    onSettled: () => changed("roles"),
    onSuccess: () => message.success("Saved in the draft. Viewers get it with the next release."),
  });
  if (names.length === 0) return null;
  return (
    <Notice kind="careful">
      <div className="row wrap">
        <span className="state-mark small">draft, unsaved</span>
        <span>
          Edited:{" "}
          {names.map((name, index) => (
            <span key={name}>
              {index > 0 && ", "}
              <Link to={`/roles/${encodeURIComponent(name)}`}>
                {roles.data?.roles.find((entry) => entry.role.name === name)?.role.label ?? name}
              </Link>
            </span>
          ))}
        </span>
        <Button size="small" type="primary" loading={save.isPending} onClick={() => save.mutate()}>
          Save in the draft
        </Button>
        {names.length === 1 && (
          <Button size="small" disabled={!edits.get(names[0] ?? "")?.past.length} onClick={() => edits.undo(names[0] ?? "")}>
            Undo
          </Button>
        )}
        <Button
          size="small"
          type="text"
          onClick={() => {
            for (const name of names) edits.discard(name);
          }}
        >
          Discard
        </Button>
      </div>
      {save.isError && <p className="warn small">{save.error.message}</p>}
    </Notice>
  );
}

/** The roles as they stand here: unsaved edits in the place of what is saved. */
export function useEditedRoles(edits: RoleEdits) {
  const roles = useRoles();
  const entries = roles.data?.roles ?? [];
  return {
    entries: entries.map((entry) => ({ entry, role: edits.get(entry.role.name)?.now ?? entry.role })),
    edited: edits.names().flatMap((name) => {
      const edit = edits.get(name);
      return edit ? [{ ...edit.now, name }] : [];
    }),
  };
}
