import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Button, Input, type RefSelectProps, Select } from "antd";
import { useEffect, useRef, useState } from "react";
import { api, data } from "../api/client";
import { queries } from "../api/queries";
import { usePeople, useRoles } from "../state/directory";
import { MOST_PINS, type Pin, useWorkbench } from "../state/workbench";
import { Notice } from "../ui/Notice";

/** Pins a person, roles on their own, somebody imagined, or a set that was kept. */
export function PinForm({ close, imagine }: { close: () => void; imagine: () => void }) {
  const { pin, pins } = useWorkbench();
  const people = usePeople();
  const roles = useRoles();
  const field = useRef<RefSelectProps>(null);
  useEffect(() => {
    const timer = setTimeout(() => field.current?.focus(), 120);
    return () => clearTimeout(timer);
  }, []);
  const [names, setNames] = useState<string[]>([]);
  const full = pins.length >= MOST_PINS;
  const labels = new Map(roles.data?.roles.map((entry) => [entry.role.name, entry.role.label ?? entry.role.name]));
  return (
    <div className="wide-340">
      {full && <Notice>Four are pinned. Take one out to pin another, or choose a set.</Notice>}
      {!full && (
        <>
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
          <Button onClick={imagine}>Imagine somebody…</Button>
        </>
      )}
      <Sets close={close} />
    </div>
  );
}

/** Named sets of pinned viewers, one's own. */
function Sets({ close }: { close: () => void }) {
  const { pins, pinAll } = useWorkbench();
  const client = useQueryClient();
  const sets = useQuery(queries.pinnedSets());
  const [name, setName] = useState("");
  const known = queries.pinnedSets().queryKey;
  const keep = useMutation({
    mutationFn: (named: string) =>
      data(
        api.PUT("/api/pinned-sets/{name}", {
          params: { path: { name: named } },
          body: { pins: pins.map(({ title, detail, viewer }) => ({ title, detail, viewer })) },
        }),
      ),
    onSuccess: (told) => {
      client.setQueryData(known, told);
      setName("");
    },
  });
  const remove = useMutation({
    mutationFn: (named: string) => data(api.DELETE("/api/pinned-sets/{name}", { params: { path: { name: named } } })),
    onSuccess: (told) => client.setQueryData(known, told),
  });
  const error = keep.error ?? remove.error;
  return (
    <>
      <h3>Sets</h3>
      {(sets.data?.sets ?? []).map((set) => (
        <div key={set.name} className="row">
          <button
            type="button"
            className="textlink grow cut"
            title={set.pins.map((pin) => pin.title).join(", ")}
            onClick={() => {
              pinAll(
                set.pins.map(
                  (pin): Pin => ({ ...pin, key: typeof pin.viewer === "string" ? `user:${pin.viewer}` : JSON.stringify(pin.viewer) }),
                ),
              );
              close();
            }}
          >
            {set.name} <span className="soft small">{set.pins.map((pin) => pin.title).join(", ")}</span>
          </button>
          <button
            type="button"
            className="textlink small"
            aria-label={`Take the set ${set.name} away`}
            onClick={() => remove.mutate(set.name)}
          >
            take away
          </button>
        </div>
      ))}
      {sets.data?.sets.length === 0 && pins.length === 0 && <p className="soft small">Pin viewers, then keep them here under a name.</p>}
      {pins.length > 0 && (
        <div className="row above-6">
          <Input
            size="small"
            aria-label="Name of the set"
            placeholder="keep those pinned as…"
            maxLength={100}
            value={name}
            onChange={(event) => setName(event.target.value)}
            onPressEnter={() => name.trim() && keep.mutate(name.trim())}
          />
          <Button size="small" disabled={name.trim() === ""} onClick={() => keep.mutate(name.trim())}>
            Keep
          </Button>
        </div>
      )}
      {error && <Notice kind="bad">{error.message}</Notice>}
    </>
  );
}
