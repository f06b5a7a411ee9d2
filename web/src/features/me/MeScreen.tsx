import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button, Input, Modal } from "antd";
import { useState } from "react";
import { Link } from "react-router-dom";
import { api, data, type Schemas } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { actLabel } from "../../state/rights";
import { Brand } from "../../ui/Brand";
import { ChangePassword } from "../../ui/ChangePassword";
import { Notice } from "../../ui/Notice";
import { program } from "../../ui/programs";
import { SecondFactor } from "../../ui/SecondFactor";
import { TokenForm } from "../../ui/TokenForm";
import { useTitle } from "../../ui/useTitle";
import { when } from "../../ui/when";
import { Connect } from "./Connect";
import { Identity } from "./Identity";
import { OwnReviews } from "./OwnReviews";
import "./me.css";

type Own = Schemas["OwnAccount"];

/** One's own account: who one is, how one comes in, and what one holds. */
export default function MeScreen({ session }: { session: Schemas["SessionAnswer"] }) {
  const own = useQuery(queries.ownAccount());
  useTitle("My account", session.workspace);
  return (
    <div className="me">
      <header>
        <Brand />
        <span className="soft cut">{session.workspace}</span>
        <span className="grow" />
        <Link to="/my">My pages</Link>
        {(session.account?.acts.length ?? 0) > 0 && <Link to="/">Back to the workspace</Link>}
      </header>
      <main>
        <h1 className="visually-hidden">My account</h1>
        {own.isError && <Notice kind="bad">{own.error.message}</Notice>}
        {own.data && (
          <>
            <h2>
              {own.data.name} <code>{own.data.login}</code> <span className="soft">{own.data.organization}</span>
            </h2>
            <OwnReviews login={own.data.login} />
            <div className="me-parts">
              <Identity key={own.data.version} own={own.data} />
              <WaysIn own={own.data} />
              <Sessions own={own.data} />
              <Tokens own={own.data} />
              <Connect login={own.data.login} />
              <Holds own={own.data} />
            </div>
          </>
        )}
      </main>
    </div>
  );
}

function WaysIn({ own }: { own: Own }) {
  const changed = useChanged();
  const { message } = App.useApp();
  const [doing, setDoing] = useState<"password" | "factor" | "end" | null>(null);
  const [password, setPassword] = useState("");
  const end = useMutation({
    mutationFn: () => data(api.POST("/api/my/second-factor/end", { body: { password } })),
    onSuccess: async () => {
      await changed();
      message.success("You sign in without a second factor now.");
      setDoing(null);
    },
  });
  return (
    <section aria-label="Signing in">
      <h3>Signing in</h3>
      <p className="row wrap">
        <span>Password</span>
        {own.keeps_password ? (
          <span className="soft">kept for this account by somebody else</span>
        ) : (
          <Button size="small" onClick={() => setDoing("password")}>
            Change it…
          </Button>
        )}
      </p>
      <p className="row wrap" data-testid="factor">
        <span>Second factor</span>
        {own.second_factor ? (
          <>
            <b>in force</b>
            <span className="soft">{own.recovery_left} recovery codes left</span>
            {own.second_factor_rule !== "required" && (
              <Button size="small" onClick={() => setDoing("end")}>
                Take it away…
              </Button>
            )}
          </>
        ) : own.second_factor_rule === "off" ? (
          <span className="soft">not asked for in this workspace</span>
        ) : (
          <Button size="small" onClick={() => setDoing("factor")}>
            Set it up…
          </Button>
        )}
      </p>
      {doing === "password" && <ChangePassword close={() => setDoing(null)} />}
      <Modal open={doing === "factor"} title="Set a second factor up" footer={null} onCancel={() => setDoing(null)} destroyOnHidden>
        <SecondFactor
          done={() => {
            setDoing(null);
            void changed();
          }}
        />
      </Modal>
      <Modal
        open={doing === "end"}
        title="Sign in without a second factor?"
        okText="Take it away"
        okButtonProps={{ danger: true, loading: end.isPending, disabled: password === "" }}
        onOk={() => end.mutate()}
        onCancel={() => setDoing(null)}
      >
        <label htmlFor="factor-password">Your password</label>
        <Input.Password
          id="factor-password"
          autoComplete="current-password"
          value={password}
          onChange={(event) => setPassword(event.target.value)}
        />
        {end.isError && <Notice kind="bad">{end.error.message}</Notice>}
      </Modal>
    </section>
  );
}

function Sessions({ own }: { own: Own }) {
  const changed = useChanged();
  const { message } = App.useApp();
  const end = useMutation({
    mutationFn: (id: number | null) =>
      id === null ? data(api.DELETE("/api/my/sessions")) : data(api.DELETE("/api/my/sessions/{key}", { params: { path: { key: id } } })),
    onSuccess: async () => {
      await changed();
      message.success("Ended.");
    },
    onError: (error) => message.error(error.message),
  });
  return (
    <section aria-label="Sessions">
      <h3>Where you are signed in</h3>
      <table className="data">
        <thead>
          <tr>
            <th>by</th>
            <th>when</th>
            <th>
              <span className="visually-hidden">end it</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {own.sessions.map((item) => (
            <tr key={item.id}>
              <td className="wraps" title={item.agent}>
                {program(item.agent)} <span className="soft">from {item.address}</span>
              </td>
              <td className="soft">
                since {when(item.began_at)}, seen {when(item.seen_at)}
              </td>
              <td>
                {item.own ? (
                  <b>this one</b>
                ) : (
                  <Button size="small" onClick={() => end.mutate(item.id)}>
                    End
                  </Button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {own.sessions.length > 1 && (
        <Button size="small" onClick={() => end.mutate(null)}>
          End all the others
        </Button>
      )}
    </section>
  );
}

function Tokens({ own }: { own: Own }) {
  const changed = useChanged();
  const { message } = App.useApp();
  const [making, setMaking] = useState(false);
  const end = useMutation({
    mutationFn: (id: number) => data(api.DELETE("/api/my/tokens/{key}", { params: { path: { key: id } } })),
    onSuccess: async () => {
      await changed();
      message.success("The token has ended.");
    },
    onError: (error) => message.error(error.message),
  });
  return (
    <section aria-label="Tokens">
      <h3>
        Tokens <span className="aside">— for programs that ask as you</span>
      </h3>
      {own.tokens.length === 0 && <p className="soft">None.</p>}
      {own.tokens.length > 0 && (
        <table className="data">
          <tbody>
            {own.tokens.map((item) => (
              <tr key={item.id}>
                <td>
                  <b>{item.name}</b> <span className="soft">{item.scope.acts.join(", ")}</span>{" "}
                  <span className="soft">{item.scope.models === "all" ? "" : `in ${item.scope.models?.join(", ")}`}</span>
                </td>
                <td className="soft">
                  {item.expires_at ? `until ${when(item.expires_at)}` : "without end"} ·{" "}
                  {item.last_used_at ? `used ${when(item.last_used_at)}` : "never used"}
                </td>
                <td>
                  <Button size="small" onClick={() => end.mutate(item.id)}>
                    End
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <Button size="small" onClick={() => setMaking(true)}>
        + token
      </Button>
      {making && <TokenForm make={(body) => data(api.POST("/api/my/tokens", { body }))} close={() => setMaking(false)} />}
    </section>
  );
}

function Holds({ own }: { own: Own }) {
  return (
    <section aria-label="What I hold">
      <h3>What you hold</h3>
      {own.roles.length === 0 && <p className="soft">No role: your pages are empty.</p>}
      <ul>
        {own.roles.map((role) => (
          <li key={role.label}>
            <b>{role.label}</b> <span className="soft">{role.kind === "grant" ? "opens" : "narrows"}</span> {role.held_by.join("; ")}
            {role.until && <span> · until {role.until}</span>}
          </li>
        ))}
      </ul>
      {own.rights.duties.length > 0 && <h3>Your duties</h3>}
      <ul>
        {own.rights.duties.map((item) => (
          <li key={item.id}>
            {item.duty.acts.map(actLabel).join(", ")}{" "}
            <span className="soft">
              {item.duty.within === "everything" ? "over everything" : "within a scope"}
              {item.path.length > 0 && `, through ${item.path.join(" › ")}`}
              {item.duty.until && `, until ${item.duty.until}`}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
