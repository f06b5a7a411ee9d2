import { useQuery } from "@tanstack/react-query";
import { Button, Modal } from "antd";
import { Link } from "react-router-dom";
import type { RoleEntry } from "../../api/client";
import { queries } from "../../api/queries";
import { plural } from "../../ui/figures";
import { Notice } from "../../ui/Notice";

export function useUses(name: string, wanted: boolean) {
  return useQuery({ ...queries.roleUses(name), enabled: wanted });
}

/** Where a role is named, and to whom it is mapped: before it is renamed or deleted. */
export function UsedWhere({ entry, close }: { entry: RoleEntry; close: () => void }) {
  const uses = useUses(entry.role.name, true);
  return (
    <Modal
      open
      width={560}
      title={`Where ${entry.role.label ?? entry.role.name} is used`}
      onCancel={close}
      footer={<Button onClick={close}>Close</Button>}
    >
      {uses.isError && <Notice kind="bad">{uses.error.message}</Notice>}
      <p>
        Mapped in {plural(entry.assignments.length, "way")}, held by {plural(entry.people, "person", "people")}.
      </p>
      {uses.data?.uses.length === 0 && <p className="soft">No sentence, table of entitlements or promise names it.</p>}
      <ul>
        {uses.data?.uses.map((use) => (
          <li key={use.place}>
            {use.role ? (
              <Link to={`/roles/${encodeURIComponent(use.role)}`} onClick={close}>
                {use.place}
              </Link>
            ) : (
              use.place
            )}
          </li>
        ))}
      </ul>
      <p className="soft small">Conditions that name it follow when the role is renamed.</p>
    </Modal>
  );
}
