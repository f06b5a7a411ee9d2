import { Button, DatePicker, Popover } from "antd";
import dayjs from "dayjs";
import { useState } from "react";
import { Link } from "react-router-dom";
import { type PeopleData, usePeople, useRoles } from "../state/directory";
import { type Pin, useWorkbench } from "../state/workbench";
import { Letter } from "../ui/Letter";
import { Imagine } from "./Imagine";
import { PinForm } from "./PinForm";

/** Who is pinned, and the day; four chips stand in it whole: names shorten, and what else there is to say is in a chip's panel. */
export function Tray() {
  const { pins, focus, setFocus, unpin, day, setDay } = useWorkbench();
  const [open, setOpen] = useState(false);
  const [panel, setPanel] = useState<string | null>(null);
  const [imagining, setImagining] = useState<Pin["viewer"] | "new" | null>(null);
  const people = usePeople(pins.some((pin) => typeof pin.viewer === "string"));
  return (
    <div className="tray" role="toolbar" aria-label="Seen by">
      <span className="soft small tray-word">Seen by</span>
      <span className={`chip fixed ${focus === 0 ? "focus" : ""}`}>
        <button type="button" className="who" aria-pressed={focus === 0} onClick={() => setFocus(0)}>
          <Letter place={0} />
          all data
        </button>
      </span>
      {pins.map((pin, index) => {
        const state = stateOf(pin, people.data);
        return (
          <span key={pin.key} className={`chip ${focus === index + 1 ? "focus" : ""}`}>
            <button
              type="button"
              className="who"
              aria-pressed={focus === index + 1}
              onClick={() => setFocus(index + 1)}
              title={`${pin.title} · ${pin.detail}${state ? ` · ${state}` : ""}`}
            >
              <Letter place={index + 1} />
              <span className="cut">
                {pin.title} {state && <small className="warn">{state}</small>}
              </span>
            </button>
            <Popover
              open={panel === pin.key}
              onOpenChange={(shown) => setPanel(shown ? pin.key : null)}
              trigger="click"
              placement="bottom"
              destroyOnHidden
              content={
                <ChipPanel
                  pin={pin}
                  people={people.data}
                  imagine={() => {
                    setPanel(null);
                    setImagining(pin.viewer);
                  }}
                />
              }
            >
              <button type="button" className="off" aria-label={`More of ${pin.title}`}>
                ▾
              </button>
            </Popover>
            <button type="button" className="off" aria-label={`Unpin ${pin.title}`} onClick={() => unpin(pin.key)}>
              ×
            </button>
          </span>
        );
      })}
      <Popover
        open={open}
        onOpenChange={setOpen}
        trigger="click"
        placement="bottomLeft"
        destroyOnHidden
        content={
          <PinForm
            close={() => setOpen(false)}
            imagine={() => {
              setOpen(false);
              setImagining("new");
            }}
          />
        }
      >
        <Button size="small" aria-label={pins.length < 3 ? undefined : "Pin a viewer"} title="pin a viewer, or a set of them">
          {pins.length < 3 ? "+ pin a viewer" : "+"}
        </Button>
      </Popover>
      <span className="grow" />
      <DatePicker
        size="small"
        aria-label="Day looked at"
        placeholder="today"
        className="tray-day"
        value={day ? dayjs(day) : null}
        onChange={(picked) => setDay(picked ? picked.format("YYYY-MM-DD") : null)}
      />
      {imagining !== null && <Imagine start={imagining === "new" ? null : imagining} close={() => setImagining(null)} />}
    </div>
  );
}

/** What has to be said of a person on the chip itself. */
function stateOf(pin: Pin, people: PeopleData | undefined): string | null {
  if (typeof pin.viewer !== "string" || !people) return null;
  const person = people.people.find((item) => item.login === pin.viewer);
  if (!person) return "no longer there";
  return person.enabled ? null : "disabled";
}

/** All there is to say of a pinned viewer: login, organization, groups and roles as they are now. */
function ChipPanel({ pin, people, imagine }: { pin: Pin; people: PeopleData | undefined; imagine: () => void }) {
  const roles = useRoles();
  const label = (name: string) => roles.data?.roles.find((entry) => entry.role.name === name)?.role.label ?? name;
  const person = typeof pin.viewer === "string" ? people?.people.find((item) => item.login === pin.viewer) : undefined;
  const only = typeof pin.viewer === "object" && "imagine" in pin.viewer ? pin.viewer.imagine : null;
  const lines: [string, string][] = person
    ? [
        ["login", person.login],
        ["organization", people?.organizations.find((item) => item.name === person.organization)?.label ?? person.organization ?? "none"],
        ["groups", person.groups.map((name) => people?.groups.find((item) => item.name === name)?.label ?? name).join(", ") || "none"],
        ["roles", person.roles.map(label).join(", ") || "none"],
      ]
    : only
      ? [
          ...(only.login ? ([["login", only.login]] as [string, string][]) : []),
          ...(only.email ? ([["mail", only.email]] as [string, string][]) : []),
          ["organization", only.organization ?? "none"],
          ["groups", (only.groups ?? []).join(", ") || "none"],
          ...Object.entries(only.attributes ?? {}).map(([name, value]): [string, string] => [name, String(value)]),
          ["roles", only.only_roles ? only.only_roles.map(label).join(", ") || "none" : "as they are mapped"],
        ]
      : [["", pin.detail]];
  return (
    <div className="wide-340">
      <b>{pin.title}</b> <span className="soft small">{only ? "imagined" : ""}</span>
      <table className="chip-panel small">
        <tbody>
          {lines.map(([name, value]) => (
            <tr key={name}>
              <th>{name}</th>
              <td>{value}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="row small above-6">
        {person && <Link to={`/people/${encodeURIComponent(person.login)}`}>at the person</Link>}
        <button type="button" className="textlink" onClick={imagine}>
          somebody like this, but…
        </button>
      </div>
    </div>
  );
}
