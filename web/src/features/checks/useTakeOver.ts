import { useNavigate } from "react-router-dom";
import type { Role } from "../../api/client";
import { useRoles } from "../../state/directory";
import { roleEdits } from "../../ui/unsavedEdits";

/** Takes a changed role over as an unsaved edit, and goes to it: its effect is looked at on the bench before it is saved. */
export function useTakeOver(): (changed: Role) => void {
  const roles = useRoles();
  const navigate = useNavigate();
  return (changed) => {
    const entry = roles.data?.roles.find((item) => item.role.name === changed.name);
    if (!entry) return;
    // Assignments are not edited on the bench.
    roleEdits.change(changed.name, entry.version, entry.role, { ...changed, assigned: entry.role.assigned });
    navigate(`/roles/${encodeURIComponent(changed.name)}`);
  };
}
