import { useMutation } from "@tanstack/react-query";
import { Button, Input } from "antd";
import { useState } from "react";
import { useNavigate } from "react-router-dom";
import { api, data, type Schemas } from "../../api/client";
import { useChanged } from "../../api/queries";
import { Brand } from "../../ui/Brand";
import { Notice } from "../../ui/Notice";
import "./sign-in.css";

const LEAST = 10;

/** Where a one-time link leads: the first password, or a new workspace with its first administrator. */
export function Welcome({ session }: { session: Schemas["SessionAnswer"] }) {
  const changed = useChanged();
  const navigate = useNavigate();
  const token = window.location.hash.slice(1);
  const setup = token.startsWith("setup.");
  const [workspace, setWorkspace] = useState("");
  const [zone, setZone] = useState(Intl.DateTimeFormat().resolvedOptions().timeZone || "UTC");
  const [login, setLogin] = useState("");
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const [again, setAgain] = useState("");
  const enter = useMutation({
    mutationFn: () =>
      setup
        ? data(
            api.POST("/api/session/set-up", {
              body: {
                token: token.slice(6),
                workspace: workspace.trim(),
                time_zone: zone.trim(),
                login: login.trim(),
                name: name.trim(),
                password,
              },
            }),
          )
        : data(api.POST("/api/session/welcome", { body: { token, password } })),
    onSuccess: async () => {
      navigate(setup ? "/models" : "/", { replace: true });
      await changed();
    },
  });
  const fault =
    password !== "" && password.length < LEAST
      ? `A password has at least ${LEAST} letters.`
      : again !== "" && again !== password
        ? "The two are not the same."
        : null;
  const ready =
    password.length >= LEAST && again === password && (!setup || (workspace.trim() && login.trim() && name.trim() && zone.trim()));
  return (
    <main className="sign-in">
      <section>
        <form
          className="welcome"
          onSubmit={(event) => {
            event.preventDefault();
            if (ready) enter.mutate();
          }}
        >
          <Brand />
          {token === "" ? (
            <Notice kind="careful">This page is opened by a link somebody sent you. Ask for another if it does not work.</Notice>
          ) : setup && session.ready ? (
            <Notice>This workspace is set up already. Sign in.</Notice>
          ) : (
            <>
              <h1>{setup ? "A new workspace" : `Welcome to ${session.workspace}`}</h1>
              <p className="soft">
                {setup
                  ? "Name it, and be its first administrator. Data, people and roles come next."
                  : "Choose a password. This link works once."}
              </p>
              {setup && (
                <>
                  <label htmlFor="welcome-workspace">Name of the workspace</label>
                  <Input
                    id="welcome-workspace"
                    value={workspace}
                    onChange={(event) => setWorkspace(event.target.value)}
                    placeholder="Whinfell Co-operative"
                  />
                  <label htmlFor="welcome-zone">Time zone</label>
                  <Input id="welcome-zone" value={zone} onChange={(event) => setZone(event.target.value)} />
                  <label htmlFor="welcome-login">Your login</label>
                  <Input
                    id="welcome-login"
                    className="mono"
                    autoComplete="username"
                    value={login}
                    onChange={(event) => setLogin(event.target.value)}
                  />
                  <label htmlFor="welcome-name">Your name</label>
                  <Input id="welcome-name" value={name} onChange={(event) => setName(event.target.value)} />
                </>
              )}
              <label htmlFor="welcome-password">Password</label>
              <Input.Password
                id="welcome-password"
                autoComplete="new-password"
                value={password}
                onChange={(event) => setPassword(event.target.value)}
              />
              <label htmlFor="welcome-again">Once more</label>
              <Input.Password
                id="welcome-again"
                autoComplete="new-password"
                value={again}
                onChange={(event) => setAgain(event.target.value)}
              />
              {fault && <p className="warn small">{fault}</p>}
              {enter.error && <Notice kind="bad">{enter.error.message}</Notice>}
              <Button type="primary" htmlType="submit" disabled={!ready} loading={enter.isPending} className="above-10">
                {setup ? "Make the workspace" : "Keep this password"}
              </Button>
            </>
          )}
        </form>
      </section>
    </main>
  );
}
