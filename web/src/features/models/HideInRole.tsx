import { Button, Popover, Select } from "antd";
import { useState } from "react";
import { useNavigate } from "react-router-dom";
import type { Role } from "../../api/client";
import { useRoles } from "../../state/directory";
import { roleEdits } from "../../ui/unsavedEdits";

type Props = { model: string; objects: string[]; what: string };

/** Hides or masks something in a role: the sentence is written as an unsaved edit, and the bench is opened to look at its effect. */
export function HideInRole({ model, objects, what }: Props) {
  const roles = useRoles();
  const navigate = useNavigate();
  const [chosen, setChosen] = useState<string | null>(null);
  const entries = (roles.data?.roles ?? []).filter((entry) => entry.role.model === model);
  const entry = entries.find((item) => item.role.name === chosen);
  const columns = objects.filter((name) => name.startsWith("column:")).map((name) => name.slice("column:".length));
  const write = (change: (role: Role) => Role) => {
    if (!entry) return;
    const now = roleEdits.get(entry.role.name)?.now ?? entry.role;
    roleEdits.change(entry.role.name, entry.version, entry.role, change(now));
    navigate(`/roles/${encodeURIComponent(entry.role.name)}`);
  };
  const hide = (role: Role): Role => {
    const sentences = role.sentences ?? [];
    const at = sentences.findIndex((sentence) => sentence.objects && !sentence.off);
    const said = sentences[at]?.objects ?? { default: "visible" as const, hide: [], show: [] };
    const hidden = { ...said, hide: [...new Set([...(said.hide ?? []), ...objects])] };
    const shown = { ...hidden, show: (hidden.show ?? []).filter((name) => !objects.includes(name)) };
    return {
      ...role,
      sentences:
        at < 0 ? [...sentences, { objects: shown }] : sentences.map((item, place) => (place === at ? { ...item, objects: shown } : item)),
    };
  };
  const mask = (role: Role): Role => ({
    ...role,
    sentences: [
      ...(role.sentences ?? []),
      ...columns.map((column) => ({ mask: { column, with: "withhold" as const, in_totals: "no" as const } })),
    ],
  });
  return (
    <Popover
      trigger="click"
      content={
        <div className="row">
          <Select
            showSearch
            optionFilterProp="label"
            aria-label="In which role"
            placeholder="in the role…"
            className="least-180"
            value={chosen}
            onChange={setChosen}
            options={entries.map((item) => ({ value: item.role.name, label: item.role.label ?? item.role.name }))}
          />
          <Button type="primary" disabled={!entry} onClick={() => write(hide)}>
            Hide
          </Button>
          {columns.length > 0 && (
            <Button disabled={!entry} onClick={() => write(mask)}>
              Mask
            </Button>
          )}
        </div>
      }
    >
      <Button size="small">
        Hide {columns.length > 0 && "or mask "}
        {what} in a role…
      </Button>
    </Popover>
  );
}
