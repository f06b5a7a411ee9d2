import { useState } from "react";
import type { PeopleData } from "../../state/directory";
import { useRights } from "../../state/rights";
import { count as figures } from "../../ui/figures";
import { MenuButton } from "../../ui/MenuButton";

export type Chosen = { kind: "all" } | { kind: "organization" | "group"; name: string };
export type TreeAct = {
  kind: "organization" | "group";
  what: "new" | "edit" | "move" | "delete";
  name: string | null;
  under?: string | null;
};

type Dragged = { kind: "organization" | "group"; name: string; from: string | null };

/** Organizations and groups as trees; a line is moved by dragging it onto another, or by its menu. */
export function Tree({
  people,
  chosen,
  choose,
  act,
  moved,
}: {
  people: PeopleData;
  chosen: Chosen;
  choose: (chosen: Chosen) => void;
  act: (asked: TreeAct) => void;
  moved: (kind: "organization" | "group", name: string, from: string | null, into: string | null) => void;
}) {
  const { everywhere } = useRights();
  const [dragged, setDragged] = useState<Dragged | null>(null);
  const [over, setOver] = useState<string | null>(null);
  const counts = new Map<string, number>();
  for (const person of people.people) counts.set(person.organization ?? "", (counts.get(person.organization ?? "") ?? 0) + 1);
  const line = (
    kind: "organization" | "group",
    name: string,
    label: string,
    count: number,
    depth: number,
    parent: string | null,
    off?: boolean,
  ) => {
    const key = `${kind}.${parent ?? ""}.${name}`;
    const drop = () => {
      if (dragged && dragged.kind === kind && dragged.name !== name) moved(kind, dragged.name, dragged.from, name);
      setDragged(null);
      setOver(null);
    };
    return (
      // biome-ignore lint/a11y/noStaticElementInteractions: dragging is a shortcut; the menu does the same by keyboard
      <div
        className={`tree-row ${over === key ? "over" : ""}`}
        draggable
        onDragStart={() => setDragged({ kind, name, from: parent })}
        onDragEnd={() => setDragged(null)}
        onDragOver={(event) => {
          if (dragged?.kind !== kind || dragged.name === name) return;
          event.preventDefault();
          setOver(key);
        }}
        onDragLeave={() => setOver(null)}
        onDrop={drop}
      >
        <button
          type="button"
          className={`tree-line ${chosen.kind === kind && chosen.name === name ? "on" : ""}`}
          aria-pressed={chosen.kind === kind && chosen.name === name}
          style={{ paddingLeft: 6 + depth * 12 }}
          onClick={() => choose({ kind, name })}
        >
          <span className={`cut ${off ? "soft" : ""}`} title={off ? `${label} (disabled)` : label}>
            {label}
            {off && " (off)"}
          </span>
          <span className="n">{figures(count)}</span>
        </button>
        <MenuButton
          className="tree-menu"
          label={`What to do with ${label}`}
          menu={() => ({
            items: [
              { key: "new", label: kind === "group" ? "New group inside…" : "New organization below…" },
              { key: "edit", label: "Edit…" },
              { key: "move", label: "Move…" },
              { key: "delete", label: "Delete…", danger: true },
            ],
            onClick: ({ key: what }) =>
              act({ kind, what: what as TreeAct["what"], name: what === "new" ? null : name, under: what === "new" ? name : parent }),
          })}
        />
      </div>
    );
  };
  const organizations = (parent: string | null, depth: number): React.ReactNode =>
    people.organizations
      .filter((item) => (item.parent ?? null) === parent)
      .map((item) => (
        <div key={item.name}>
          {line("organization", item.name, item.label, counts.get(item.name) ?? 0, depth, parent)}
          {organizations(item.name, depth + 1)}
        </div>
      ));
  const groups = new Map(people.groups.map((group) => [group.name, group]));
  const inside = new Set(people.groups.flatMap((group) => group.groups));
  const branch = (name: string, depth: number, parent: string | null): React.ReactNode => {
    const group = groups.get(name);
    if (!group || depth > 12) return null;
    return (
      <div key={`${parent}.${name}`}>
        {line("group", name, group.label, group.users.length, depth, parent, !group.enabled)}
        {group.groups.map((inner) => branch(inner, depth + 1, name))}
      </div>
    );
  };
  return (
    <>
      <div className="row">
        <h2 className="as-h3 grow">Organizations</h2>
        {people.organizations.length === 0 && everywhere("people") && (
          <button type="button" className="textlink small" onClick={() => act({ kind: "organization", what: "new", name: null })}>
            + new
          </button>
        )}
      </div>
      <button
        type="button"
        className={`tree-line ${chosen.kind === "all" ? "on" : ""}`}
        aria-pressed={chosen.kind === "all"}
        onClick={() => choose({ kind: "all" })}
      >
        <span className="cut">Everybody</span>
        <span className="n">{figures(people.people.length)}</span>
      </button>
      {organizations(null, 0)}
      {/* biome-ignore lint/a11y/noStaticElementInteractions: a group dropped here goes to the top; the menu does the same by keyboard */}
      <div
        className="row"
        onDragOver={(event) => dragged?.kind === "group" && event.preventDefault()}
        onDrop={() => {
          if (dragged?.kind === "group" && dragged.from !== null) moved("group", dragged.name, dragged.from, null);
          setDragged(null);
        }}
      >
        <h2 className="as-h3 grow">Groups</h2>
        {everywhere("people") && (
          <button type="button" className="textlink small" onClick={() => act({ kind: "group", what: "new", name: null })}>
            + new
          </button>
        )}
      </div>
      {people.groups.length === 0 && (
        <p className="soft small">No group yet. Roles are mapped to groups, so that people can come and go.</p>
      )}
      {people.groups.filter((group) => !inside.has(group.name)).map((group) => branch(group.name, 0, null))}
    </>
  );
}
