import { useMutation } from "@tanstack/react-query";
import { Button, Input } from "antd";
import { useEffect, useState } from "react";
import { api, data } from "../api/client";
import { Notice } from "./Notice";
import "./second-factor.css";

/** Sets a second factor up: a picture for an authenticator, its first code, and recovery codes that are shown once. */
export function SecondFactor({ done }: { done: () => void }) {
  const [code, setCode] = useState("");
  const begin = useMutation({ mutationFn: () => data(api.POST("/api/my/second-factor")) });
  const confirm = useMutation({ mutationFn: () => data(api.PUT("/api/my/second-factor", { body: { code } })) });
  const { mutate } = begin;
  useEffect(() => mutate(), [mutate]);
  if (begin.isError) return <Notice kind="bad">{begin.error.message}</Notice>;
  if (!begin.data) return <p className="soft">Opening…</p>;
  if (confirm.data)
    return (
      <div data-testid="recovery">
        <Notice kind="careful">
          <b>Shown this one time.</b> Keep these recovery codes apart from your device. Each lets you in once, when the device is lost.
        </Notice>
        <ul className="recovery-codes">
          {confirm.data.codes.map((item) => (
            <li key={item}>
              <code>{item}</code>
            </li>
          ))}
        </ul>
        <Button type="primary" onClick={done}>
          I keep them
        </Button>
      </div>
    );
  const secret = new URL(begin.data.address).searchParams.get("secret") ?? "";
  return (
    <form
      className="second-factor"
      onSubmit={(event) => {
        event.preventDefault();
        confirm.mutate();
      }}
    >
      <p>Scan this with an authenticator, or type the key in there by hand. Then enter the code it shows.</p>
      <img src={begin.data.picture} alt="The key as a picture, for an authenticator" width={172} height={172} />
      <p className="small">
        <span className="soft">key</span> <code className="breaks-anywhere">{secret}</code>
      </p>
      <div className="row">
        <Input
          aria-label="Code"
          placeholder="code of six digits"
          inputMode="numeric"
          autoComplete="one-time-code"
          className="wide-240"
          value={code}
          onChange={(event) => setCode(event.target.value)}
        />
        <Button type="primary" htmlType="submit" loading={confirm.isPending} disabled={code.trim().length < 6}>
          Put it in force
        </Button>
      </div>
      {confirm.isError && <Notice kind="bad">{confirm.error.message}</Notice>}
    </form>
  );
}
