import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button } from "antd";
import { useState } from "react";
import { api, data, type Schemas } from "../../../api/client";
import { queries, useChanged } from "../../../api/queries";
import { plural } from "../../../ui/figures";
import { Notice } from "../../../ui/Notice";
import { runsAt } from "../../../ui/WhenFields";
import { when } from "../../../ui/when";
import { DirectoryWizard } from "./DirectoryWizard";
import { OriginRuns } from "./OriginRuns";
import { ProviderForm } from "./ProviderForm";
import { ProvisioningForm } from "./ProvisioningForm";
import { RunNow } from "./RunNow";

type Entry = Schemas["OriginEntry"];
type Kind = Entry["origin"]["kind"];

const KINDS: Record<NonNullable<Kind>, string> = {
  ldap: "directory, read over LDAP",
  scim: "provisioning, over SCIM 2.0",
  oidc: "signing in, by OpenID Connect",
};

/** Where people come from beside here. */
export function Origins() {
  const origins = useQuery(queries.origins());
  const changed = useChanged();
  const { message, modal } = App.useApp();
  const [editing, setEditing] = useState<{ kind: NonNullable<Kind>; entry: Entry | null } | null>(null);
  const [running, setRunning] = useState<Entry | null>(null);
  const [opened, setOpened] = useState<string | null>(null);
  const forget = useMutation({
    mutationFn: (entry: Entry) =>
      data(
        api.DELETE("/api/settings/origins/of/{name}", {
          params: { path: { name: entry.origin.name }, query: { version: entry.version } },
        }),
      ),
    onSuccess: async () => {
      await changed("people");
      message.success("Taken away. Its people are kept here from now on.");
    },
    onError: (error) => message.error(error.message),
  });
  const through = useMutation({
    mutationFn: (name: string) => data(api.PUT("/api/settings/origins/of/{name}/runs", { params: { path: { name } } })),
    onSuccess: async () => {
      await changed("people");
      message.success("Let through for an hour. What was held comes when it is sent again.");
    },
    onError: (error) => message.error(error.message),
  });
  if (origins.isError) return <Notice kind="bad">{origins.error.message}</Notice>;
  if (!origins.data) return null;
  const listed = origins.data.origins;
  if (editing?.kind === "ldap") return <DirectoryWizard entry={editing.entry} told={origins.data} close={() => setEditing(null)} />;
  return (
    <section aria-label="Directories">
      <div className="row below-8 wrap">
        <h2>Directories</h2>
        <span className="soft">where people and their groups come from, beside here</span>
        <span className="grow" />
        <Button type="primary" onClick={() => setEditing({ kind: "ldap", entry: null })}>
          Connect a directory
        </Button>
        <Button onClick={() => setEditing({ kind: "scim", entry: null })}>Let a client provision</Button>
        <Button onClick={() => setEditing({ kind: "oidc", entry: null })}>Sign in by a provider</Button>
      </div>
      {listed.length === 0 && (
        <p className="soft most-720">
          Everybody is kept here. Connect a directory and people, their groups and attributes come from it, on a schedule; each step is
          tried against what is really there, and you see who gains and who loses before anything is changed.
        </p>
      )}
      {listed.length > 0 && (
        <table className="data" aria-label="Origins">
          <thead>
            <tr>
              <th>from</th>
              <th>people</th>
              <th>fills</th>
              <th>when</th>
              <th>last</th>
              <th>
                <span className="visually-hidden">Acts</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {listed.map((entry) => {
              const text = entry.origin;
              const last = entry.runs[0];
              return (
                <tr key={text.name}>
                  <td className="wraps">
                    <b>{text.label || text.name}</b> <div className="soft small">{KINDS[text.kind ?? "ldap"]}</div>
                    {!entry.enabled && <div className="warn small">switched off</div>}
                    {entry.trouble && <div className="warn small">{entry.trouble}</div>}
                  </td>
                  <td>{entry.people.toLocaleString("en-GB")}</td>
                  <td className="wraps">{(text.listed ?? []).map((group) => group.group).join(", ") || "no group"}</td>
                  <td>
                    {text.kind === "ldap" ? (text.when ? runsAt(text.when) : "by hand") : "when it sends"}
                    {entry.next_at && <div className="soft small">next {when(entry.next_at)}</div>}
                  </td>
                  <td className="wraps">
                    {last ? (
                      <>
                        <span className={last.state === "held" || last.state === "failed" ? "warn" : ""}>
                          {when(last.began_at)}: {last.message}
                        </span>
                        {entry.holding && <div className="warn small">Held until somebody looks.</div>}
                      </>
                    ) : (
                      <span className="soft">never</span>
                    )}
                  </td>
                  <td>
                    <div className="row">
                      {text.kind === "ldap" && (
                        <Button size="small" type={entry.holding ? "primary" : "default"} onClick={() => setRunning(entry)}>
                          {entry.holding ? "Look, then decide" : "Run now"}
                        </Button>
                      )}
                      {text.kind !== "ldap" && entry.holding && (
                        <Button size="small" type="primary" loading={through.isPending} onClick={() => through.mutate(text.name)}>
                          Let through for an hour
                        </Button>
                      )}
                      <Button
                        size="small"
                        onClick={() => setOpened(opened === text.name ? null : text.name)}
                        aria-expanded={opened === text.name}
                      >
                        Runs
                      </Button>
                      <Button size="small" onClick={() => setEditing({ kind: text.kind ?? "ldap", entry })}>
                        Change
                      </Button>
                      <Button
                        size="small"
                        onClick={() =>
                          modal.confirm({
                            title: `Take ${text.label || text.name} away?`,
                            content: `${plural(entry.people, "person", "people")} stay, with all they hold, and are kept here from then on. Who signed in by it needs a link to set a password.`,
                            okText: "Take it away",
                            okButtonProps: { danger: true },
                            onOk: () => forget.mutateAsync(entry).catch(() => undefined),
                          })
                        }
                      >
                        Take away
                      </Button>
                    </div>
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
      {opened && <OriginRuns entry={listed.find((entry) => entry.origin.name === opened)} />}
      {running && <RunNow entry={running} close={() => setRunning(null)} />}
      {editing?.kind === "scim" && <ProvisioningForm entry={editing.entry} close={() => setEditing(null)} />}
      {editing?.kind === "oidc" && <ProviderForm entry={editing.entry} close={() => setEditing(null)} />}
    </section>
  );
}
