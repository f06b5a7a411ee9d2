import { useQueryClient } from "@tanstack/react-query";
import { Button, Form, Input } from "antd";
import { useState } from "react";
import { ApiError, api, data, type Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { Brand } from "../../ui/Brand";
import { Notice } from "../../ui/Notice";
import "./sign-in.css";

/** Signs in; in the demo it lists ready-made accounts with what each should see. */
export function SignIn({ session }: { session: Schemas["SessionAnswer"] }) {
  const client = useQueryClient();
  const [wrong, setWrong] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const [factor, setFactor] = useState(false);
  const enter = async (login: string, password: string, code = "") => {
    setBusy(true);
    setWrong(null);
    try {
      client.setQueryData(queries.session().queryKey, await data(api.POST("/api/session", { body: { login, password, code } })));
    } catch (error) {
      if (error instanceof ApiError && error.code === "second_factor") setFactor(true);
      setWrong(error instanceof ApiError && error.code === "second_factor" ? null : (error as Error).message);
    } finally {
      setBusy(false);
    }
  };
  return (
    <main className="sign-in">
      <section>
        <Brand />
        <h1>{session.workspace}</h1>
        {!session.ready && (
          <Notice kind="careful">
            There is no workspace yet, so nobody can sign in. Open the link that the server printed when it started; or stop it and run{" "}
            <code>make demo</code> to look at the demo.
          </Notice>
        )}
        <Form
          layout="vertical"
          onFinish={({ login, password, code }: { login: string; password: string; code?: string }) =>
            void enter(login, password, code ?? "")
          }
          requiredMark={false}
        >
          <Form.Item label="Login" name="login" rules={[{ required: true, message: "Enter your login." }]}>
            <Input autoComplete="username" autoFocus />
          </Form.Item>
          <Form.Item label="Password" name="password" rules={[{ required: true, message: "Enter your password." }]}>
            <Input.Password autoComplete="current-password" />
          </Form.Item>
          {factor && (
            <Form.Item
              label="Code of your second factor, or a recovery code"
              name="code"
              rules={[{ required: true, message: "Enter the code that your authenticator shows now." }]}
            >
              <Input autoComplete="one-time-code" autoFocus />
            </Form.Item>
          )}
          {!wrong && session.refused && <Notice kind="bad">{session.refused}</Notice>}
          {wrong && <Notice kind="bad">{wrong}</Notice>}
          <Button type="primary" htmlType="submit" loading={busy} block>
            Sign in
          </Button>
          {(session.providers ?? []).map((provider) => (
            <Button key={provider.name} block className="above-8" href={`/api/session/by/${encodeURIComponent(provider.name)}`}>
              Sign in by {provider.label}
            </Button>
          ))}
          {session.mail && <Forgotten />}
        </Form>
      </section>
      {session.demo.length > 0 && (
        <section aria-label="Demo accounts">
          <h3>Try the demo as</h3>
          {session.demo.map((entry) => (
            <button
              key={entry.login}
              type="button"
              className="demo-account"
              disabled={busy}
              onClick={() => void enter(entry.login, session.demo_password ?? "")}
            >
              <code>{entry.login}</code>
              <span>{entry.expects}</span>
            </button>
          ))}
        </section>
      )}
    </main>
  );
}

/** Has a link sent to one's own mail; what is said is the same for every login. */
function Forgotten() {
  const form = Form.useFormInstance<{ login: string }>();
  const [told, setTold] = useState<string | null>(null);
  const ask = async () => {
    const login = form.getFieldValue("login")?.trim();
    if (!login) return setTold("Enter your login first.");
    try {
      await data(api.POST("/api/session/forgotten", { body: { login } }));
      setTold("If this account has a mail of its own, a link is on its way. It works once, for an hour.");
    } catch (error) {
      setTold((error as Error).message);
    }
  };
  return (
    <p className="above-10">
      <button type="button" className="textlink" onClick={() => void ask()}>
        I forgot my password
      </button>
      {told && (
        <span className="soft small" role="status">
          {" "}
          {told}
        </span>
      )}
    </p>
  );
}
