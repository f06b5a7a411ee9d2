import { Button, Popover, type RefSelectProps, Select } from "antd";
import { useEffect, useRef, useState } from "react";
import { type PeopleData, usePeople, useRoles } from "../state/directory";
import { MOST_PINS, type Pin, useWorkbench } from "../state/workbench";
import { Letter } from "../ui/Letter";

/** Pins a user, roles on their own, or an imagined viewer. */
function PinForm({ close }: { close: () => void }) {
  const { pin } = useWorkbench();
  const people = usePeople();
  const roles = useRoles();
  const field = useRef<RefSelectProps>(null);
  useEffect(() => {
    const timer = setTimeout(() => field.current?.focus(), 120);
    return () => clearTimeout(timer);
  }, []);
  const [names, setNames] = useState<string[]>([]);
  const [groups, setGroups] = useState<string[]>([]);
  const labels = new Map(roles.data?.roles.map((entry) => [entry.role.name, entry.role.label ?? entry.role.name]));
  return (
    <div className="wide-340">
      <h3 className="above-0">A person</h3>
      <Select
        ref={field}
        showSearch
        aria-label="Pin a person"
        placeholder="Search by name or login"
        className="full"
        optionFilterProp="label"
        value={null}
        options={people.data?.people.map((person) => ({
          value: person.login,
          label: `${person.name} · ${person.login}${person.enabled ? "" : " · disabled"}`,
        }))}
        onChange={(login: string) => {
          const person = people.data?.people.find((item) => item.login === login);
          if (!person) return;
          pin({ key: `user:${login}`, title: person.name, detail: login, viewer: login });
          close();
        }}
      />
      <h3>Roles on their own</h3>
      <div className="row">
        <Select
          mode="multiple"
          aria-label="Pin roles on their own"
          placeholder="One role, or several together"
          className="fill"
          value={names}
          onChange={setNames}
          optionFilterProp="label"
          options={roles.data?.roles.map((entry) => ({ value: entry.role.name, label: entry.role.label ?? entry.role.name }))}
        />
        <Button
          disabled={names.length === 0}
          onClick={() => {
            const title = names.map((name) => labels.get(name) ?? name).join(" + ");
            pin({
              key: `roles:${names.join("+")}`,
              title,
              detail: names.length > 1 ? "roles on their own" : "role on its own",
              viewer: { imagine: { only_roles: names } },
            });
            close();
          }}
        >
          Pin
        </Button>
      </div>
      <h3>Somebody imagined</h3>
      <div className="row">
        <Select
          mode="multiple"
          aria-label="Pin an imagined viewer"
          placeholder="A member of these groups"
          className="fill"
          value={groups}
          onChange={setGroups}
          optionFilterProp="label"
          options={people.data?.groups.map((group) => ({ value: group.name, label: group.label }))}
        />
        <Button
          disabled={groups.length === 0}
          onClick={() => {
            pin({
              key: `imagined:${groups.join("+")}`,
              title: `Somebody in ${groups.join(" + ")}`,
              detail: "imagined",
              viewer: { imagine: { groups } },
            });
            close();
          }}
        >
          Pin
        </Button>
      </div>
    </div>
  );
}

/** What a chip says of its viewer: of a person, the roles held as they are now. */
function detailOf(pin: Pin, people: PeopleData | undefined): string {
  if (typeof pin.viewer !== "string" || !people) return pin.detail;
  const person = people.people.find((item) => item.login === pin.viewer);
  if (!person) return `${pin.viewer} · no longer there`;
  if (!person.enabled) return `${pin.viewer} · disabled`;
  if (!people.held) return pin.viewer;
  return `${pin.viewer} · ${person.roles.map((role) => people.labels[role] ?? role).join(", ") || "no role"}`;
}

export function Tray() {
  const { pins, focus, setFocus, unpin } = useWorkbench();
  const [open, setOpen] = useState(false);
  const people = usePeople(pins.some((pin) => typeof pin.viewer === "string"));
  return (
    <div className="tray" role="toolbar" aria-label="Seen by">
      <span className="soft small">Seen by</span>
      <span className={`chip ${focus === 0 ? "focus" : ""}`}>
        <button type="button" className="who" aria-pressed={focus === 0} onClick={() => setFocus(0)}>
          <Letter place={0} />
          all data
        </button>
      </span>
      {pins
        .map((pin) => ({ ...pin, detail: detailOf(pin, people.data) }))
        .map((pin, index) => (
          <span key={pin.key} className={`chip ${focus === index + 1 ? "focus" : ""}`}>
            <button
              type="button"
              className="who"
              aria-pressed={focus === index + 1}
              onClick={() => setFocus(index + 1)}
              title={`${pin.title} · ${pin.detail}`}
            >
              <Letter place={index + 1} />
              <span className="cut">
                {pin.title} <small>{pin.detail}</small>
              </span>
            </button>
            <button type="button" className="off" aria-label={`Unpin ${pin.title}`} onClick={() => unpin(pin.key)}>
              ×
            </button>
          </span>
        ))}
      {pins.length < MOST_PINS && (
        <Popover
          open={open}
          onOpenChange={setOpen}
          trigger="click"
          placement="bottomLeft"
          destroyOnHidden
          content={<PinForm close={() => setOpen(false)} />}
        >
          <Button size="small">+ pin a viewer</Button>
        </Popover>
      )}
      <span className="grow" />
      {pins.length < 3 && <span className="soft small">keys 0–4 change focus</span>}
    </div>
  );
}
