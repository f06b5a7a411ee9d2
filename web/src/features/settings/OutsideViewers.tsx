import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button } from "antd";
import { useState } from "react";
import { api, data, type Schemas } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { Notice } from "../../ui/Notice";
import { when } from "../../ui/when";
import { IssuerForm } from "./IssuerForm";
import { TryOutside } from "./TryOutside";

type Entry = Schemas["IssuerEntry"];

/** Applications that vouch for people without an account here, and what each of them may say. */
export function OutsideViewers() {
  const issuers = useQuery(queries.issuers());
  const changed = useChanged();
  const { message, modal } = App.useApp();
  const [editing, setEditing] = useState<Entry | "new" | null>(null);
  const [trying, setTrying] = useState<Entry | null>(null);
  const forget = useMutation({
    mutationFn: (entry: Entry) =>
      data(api.DELETE("/api/settings/issuers/{name}", { params: { path: { name: entry.text.name }, query: { version: entry.version } } })),
    onSuccess: async () => {
      await changed();
      message.success("Forgotten. What it vouched for is shown to nobody any more.");
    },
    onError: (error) => message.error(error.message),
  });
  if (issuers.isError) return <Notice kind="bad">{issuers.error.message}</Notice>;
  const listed = issuers.data?.issuers ?? [];
  return (
    <section aria-label="Outside viewers">
      <div className="row below-8">
        <h2>Outside viewers</h2>
        <span className="soft">people without an account, whom another application vouches for with signed tokens (JWT)</span>
        <span className="grow" />
        <Button type="primary" onClick={() => setEditing("new")}>
          + issuer
        </Button>
      </div>
      {issuers.data && listed.length === 0 && (
        <p className="soft">
          No application vouches for anybody. Add an issuer to show a page inside another application: its people see what the groups and
          attributes it names open, and nothing else.
        </p>
      )}
      {listed.length > 0 && (
        <table className="data" aria-label="Issuers">
          <thead>
            <tr>
              <th>issuer</th>
              <th>shown in</th>
              <th>pages</th>
              <th>may say</th>
              <th>last used</th>
              <th>
                <span className="visually-hidden">Acts</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {listed.map((entry) => (
              <tr key={entry.text.name}>
                <td>
                  <b>{entry.text.label || entry.text.name}</b> <code>{entry.text.name}</code>
                  {!entry.enabled && <span className="warn"> · switched off</span>}
                  {entry.missing.length > 0 && <div className="warn small">not there any more: {entry.missing.join(", ")}</div>}
                </td>
                <td>
                  {entry.text.origins.map((origin) => (
                    <div key={origin}>{origin}</div>
                  ))}
                </td>
                <td>{entry.text.pages.join(", ")}</td>
                <td className="wraps">{inWords(entry.text)}</td>
                <td>{entry.last_used_at ? when(entry.last_used_at) : "never"}</td>
                <td>
                  <div className="row">
                    <Button size="small" onClick={() => setTrying(entry)}>
                      Try
                    </Button>
                    <Button size="small" onClick={() => setEditing(entry)}>
                      Change
                    </Button>
                    <Button
                      size="small"
                      onClick={() =>
                        modal.confirm({
                          title: `Forget the issuer ${entry.text.name}?`,
                          content: "Its pages are shown to nobody any more, at once.",
                          okText: "Forget it",
                          okButtonProps: { danger: true },
                          onOk: () => forget.mutateAsync(entry).catch(() => undefined),
                        })
                      }
                    >
                      Forget
                    </Button>
                  </div>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {editing && <IssuerForm entry={editing === "new" ? null : editing} close={() => setEditing(null)} />}
      {trying && <TryOutside entry={trying} close={() => setTrying(null)} />}
    </section>
  );
}

/** What an issuer may say of people, in words. */
function inWords(text: Entry["text"]): string {
  const groups = (text.groups ?? []).length > 0 ? [`member of ${text.groups?.join(", ")}`] : [];
  const attributes = (text.attributes ?? []).map((item) =>
    item.values ? `${item.attribute} of ${item.values.length} values` : `any ${item.attribute}`,
  );
  const more = text.everyone ? ["what is open to everyone"] : [];
  return [...groups, ...attributes, ...more].join("; ") || "nothing but who it is";
}
