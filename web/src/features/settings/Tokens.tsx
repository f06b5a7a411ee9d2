import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button, Select } from "antd";
import { useState } from "react";
import { api, data } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { usePeople } from "../../state/directory";
import { Notice } from "../../ui/Notice";
import { TokenForm } from "../../ui/TokenForm";

const short = (at: string | null) => (at ? new Date(at).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" }) : null);

/** Every token there is: whose, what it may do, when it was used; ended at once. */
export function Tokens() {
  const tokens = useQuery(queries.tokens());
  const people = usePeople();
  const changed = useChanged();
  const { message } = App.useApp();
  const [making, setMaking] = useState(false);
  const [service, setService] = useState<string | undefined>();
  const services = (people.data?.people ?? []).filter((person) => person.kind === "service");
  const end = useMutation({
    mutationFn: (key: number) => data(api.DELETE("/api/settings/tokens/{key}", { params: { path: { key } } })),
    onSuccess: async () => {
      await changed();
      message.success("The token has ended.");
    },
    onError: (error) => message.error(error.message),
  });
  if (tokens.isError) return <Notice kind="bad">{tokens.error.message}</Notice>;
  return (
    <section aria-label="Tokens of everybody">
      <div className="row below-8">
        <h2>Tokens</h2>
        <span className="soft">programs that ask as an account; people make their own under My account</span>
        <span className="grow" />
        <Button type="primary" disabled={services.length === 0} onClick={() => setMaking(true)}>
          + token for a service
        </Button>
      </div>
      {tokens.data?.tokens.length === 0 && <p className="soft">There is no token yet.</p>}
      {(tokens.data?.tokens.length ?? 0) > 0 && (
        <table className="data">
          <thead>
            <tr>
              <th>whose</th>
              <th>name</th>
              <th>may</th>
              <th>until</th>
              <th>last used</th>
              <th>
                <span className="visually-hidden">End</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {tokens.data?.tokens.map((token) => (
              <tr key={token.id}>
                <td>{token.login}</td>
                <td>{token.name}</td>
                <td>{token.scope.acts.join(", ")}</td>
                <td>{short(token.expires_at) ?? "without end"}</td>
                <td>{short(token.last_used_at) ?? "never"}</td>
                <td>
                  <Button size="small" onClick={() => end.mutate(token.id)}>
                    End
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {making && (
        <TokenForm
          make={(body) => data(api.POST("/api/settings/tokens", { body: { ...body, login: service ?? "" } }))}
          close={() => setMaking(false)}
        >
          <p>
            <label htmlFor="token-of">Service</label>{" "}
            <Select
              id="token-of"
              className="wide-240"
              placeholder="which service account"
              value={service}
              onChange={setService}
              options={services.map((person) => ({ value: person.login, label: `${person.name} · ${person.login}` }))}
            />
          </p>
        </TokenForm>
      )}
    </section>
  );
}
