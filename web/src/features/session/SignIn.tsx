import { useQueryClient } from "@tanstack/react-query";
import { type ComponentProps, type FormEvent, useRef, useState } from "react";
import { ApiError, api, data, type Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { Brand } from "../../ui/Brand";
import { Notice } from "../../ui/Notice";
import { useTitle } from "../../ui/useTitle";
import "./sign-in.css";

/** Signs in; in the demo it lists ready-made accounts with what each should see. */
export function SignIn({ session }: { session: Schemas["SessionAnswer"] }) {
  const client = useQueryClient();
  useTitle("Sign in", session.workspace);
  const [wrong, setWrong] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const [factor, setFactor] = useState(false);
  const [shown, setShown] = useState(false);
  const [missing, setMissing] = useState<string | null>(null);
  const form = useRef<HTMLFormElement>(null);
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
  const submit = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const given = new FormData(event.currentTarget);
    const [login = "", password = "", code = ""] = ["login", "password", "code"].map((name) => String(given.get(name) ?? ""));
    const without = Object.keys(MISSING).find((name) => given.has(name) && !given.get(name));
    setMissing(without ?? null);
    if (without) (event.currentTarget.elements.namedItem(without) as HTMLInputElement).focus();
    else void enter(login, password, code);
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
        <form noValidate ref={form} onSubmit={submit}>
          <Field name="login" label="Login" missing={missing} autoComplete="username" autoFocus />
          <Field name="password" label="Password" missing={missing} autoComplete="current-password" type={shown ? "text" : "password"}>
            <button type="button" className="textlink small" aria-pressed={shown} onClick={() => setShown(!shown)}>
              {shown ? "Hide it" : "Show it"}
            </button>
          </Field>
          {factor && (
            <Field
              name="code"
              label="Code of your second factor, or a recovery code"
              missing={missing}
              autoComplete="one-time-code"
              autoFocus
            />
          )}
          {!wrong && session.refused && <Notice kind="bad">{session.refused}</Notice>}
          {wrong && <Notice kind="bad">{wrong}</Notice>}
          <button type="submit" className="press first" disabled={busy}>
            {busy ? "Signing in …" : "Sign in"}
          </button>
          {(session.providers ?? []).map((provider) => (
            <a key={provider.name} className="press above-8" href={`/api/session/by/${encodeURIComponent(provider.name)}`}>
              Sign in by {provider.label}
            </a>
          ))}
          {session.mail && <Forgotten login={() => String(new FormData(form.current ?? undefined).get("login") ?? "")} />}
        </form>
      </section>
      {session.demo.length > 0 && (
        <section aria-label="Demo accounts">
          <h2 className="as-h3">Try the demo as</h2>
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

/** What is said where something was left empty, by field. */
const MISSING: Record<string, string> = {
  login: "Enter your login.",
  password: "Enter your password.",
  code: "Enter the code that your authenticator shows now.",
};

/** A field with its label above and, where it was left empty, what to do below. */
function Field({
  name,
  label,
  missing,
  children,
  ...input
}: { name: string; label: string; missing: string | null } & ComponentProps<"input">) {
  return (
    <div className="sign-in-field">
      <div className="row">
        <label htmlFor={name} className="grow">
          {label}
        </label>
        {children}
      </div>
      <input id={name} name={name} className="written" aria-invalid={missing === name} aria-describedby={`${name}-missing`} {...input} />
      <div id={`${name}-missing`} className="warn small" role="alert">
        {missing === name && MISSING[name]}
      </div>
    </div>
  );
}

/** Has a link sent to one's own mail; what is said is the same for every login. */
function Forgotten({ login: entered }: { login: () => string }) {
  const [told, setTold] = useState<string | null>(null);
  const ask = async () => {
    const login = entered().trim();
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
