import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button, Select } from "antd";
import { useState } from "react";
import { api, data, type Schemas } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { usePeople } from "../../state/directory";
import { DoorKeyForm } from "../../ui/DoorKeyForm";
import { count } from "../../ui/figures";
import { Notice } from "../../ui/Notice";
import { when } from "../../ui/when";

/** The query door: whether it is open, who is connected, and every key. */
export function Door() {
  const door = useQuery({ ...queries.door(), refetchInterval: 3000 });
  if (door.isError) return <Notice kind="bad">{door.error.message}</Notice>;
  if (!door.data) return null;
  return (
    <section aria-label="Query door">
      <h2>Query door</h2>
      {door.data.open ? (
        <p>
          Open on port <b>{door.data.port}</b>,{" "}
          {door.data.encrypted ? "encrypted connections only" : "from this machine only: there is no certificate"}.{" "}
          <span className="soft">SQL clients come in with door keys, which people make under My account.</span>
        </p>
      ) : (
        <Notice kind="careful">
          Closed. Start the server with <code>--door PORT</code> to let SQL clients in.
        </Notice>
      )}
      <Connected sessions={door.data.sessions} />
      <Keys keys={door.data.keys} />
    </section>
  );
}

function Connected({ sessions }: { sessions: Schemas["DoorSession"][] }) {
  const changed = useChanged();
  const { message } = App.useApp();
  const end = useMutation({
    mutationFn: (number: number) => data(api.DELETE("/api/settings/door/sessions/{number}", { params: { path: { number } } })),
    onSuccess: async () => {
      await changed();
      message.success("The session has ended.");
    },
    onError: (error) => message.error(error.message),
  });
  return (
    <>
      <h3>Connected now</h3>
      {sessions.length === 0 && <p className="soft">Nobody.</p>}
      {sessions.length > 0 && (
        <table className="data" aria-label="Connected now">
          <thead>
            <tr>
              <th>who</th>
              <th>asks as</th>
              <th>key</th>
              <th>program</th>
              <th>from</th>
              <th>since</th>
              <th className="number">asked</th>
              <th>
                <span className="visually-hidden">End</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {sessions.map((item) => (
              <tr key={item.number}>
                <td>{item.account}</td>
                <td>{item.login === item.account ? <span className="soft">themselves</span> : <b>{item.login}</b>}</td>
                <td>{item.key}</td>
                <td>{item.program || <span className="soft">not said</span>}</td>
                <td>{item.address}</td>
                <td>{when(item.since)}</td>
                <td className="number">
                  {count(item.asked)}
                  {item.busy && <span className="soft"> · asking</span>}
                </td>
                <td>
                  <Button size="small" onClick={() => end.mutate(item.number)}>
                    End this session
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}

function Keys({ keys }: { keys: Schemas["DoorKeyEntry"][] }) {
  const people = usePeople();
  const changed = useChanged();
  const { message } = App.useApp();
  const [making, setMaking] = useState(false);
  const [service, setService] = useState<string | undefined>();
  const services = (people.data?.people ?? []).filter((person) => person.kind === "service");
  const end = useMutation({
    mutationFn: (key: number) => data(api.DELETE("/api/settings/door/keys/{key}", { params: { path: { key } } })),
    onSuccess: async () => {
      await changed();
      message.success("The door key has ended, and so has what it opened.");
    },
    onError: (error) => message.error(error.message),
  });
  return (
    <>
      <div className="row below-8">
        <h3>Door keys</h3>
        <span className="grow" />
        <Button
          disabled={services.length === 0}
          title={services.length === 0 ? "There is no service account" : undefined}
          onClick={() => setMaking(true)}
        >
          + door key for a service
        </Button>
      </div>
      {keys.length === 0 && <p className="soft">There is no door key yet.</p>}
      {keys.length > 0 && (
        <table className="data" aria-label="Door keys">
          <thead>
            <tr>
              <th>whose</th>
              <th>name</th>
              <th>made</th>
              <th>until</th>
              <th>last used</th>
              <th>
                <span className="visually-hidden">End</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {keys.map((key) => (
              <tr key={key.id}>
                <td>{key.login}</td>
                <td>{key.name}</td>
                <td>{when(key.created_at)}</td>
                <td>{key.expires_at ? when(key.expires_at) : "without end"}</td>
                <td>{key.last_used_at ? when(key.last_used_at) : "never"}</td>
                <td>
                  <Button size="small" onClick={() => end.mutate(key.id)}>
                    End
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {making && (
        <DoorKeyForm
          make={(body) => data(api.POST("/api/settings/door", { body: { ...body, login: service ?? "" } }))}
          close={() => setMaking(false)}
        >
          <p>
            <label htmlFor="door-key-of">Service</label>{" "}
            <Select
              id="door-key-of"
              className="wide-240"
              placeholder="which service account"
              value={service}
              onChange={setService}
              options={services.map((person) => ({ value: person.login, label: `${person.name} · ${person.login}` }))}
            />
          </p>
        </DoorKeyForm>
      )}
    </>
  );
}
