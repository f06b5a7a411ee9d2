import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useChanged } from "../../api/queries";
import { Brand } from "../../ui/Brand";
import { ChangePassword } from "../../ui/ChangePassword";
import { SecondFactor } from "../../ui/SecondFactor";
import { useAccountMenu } from "../../ui/useAccountMenu";
import "./sign-in.css";

/** What has to be done before anything else: another password, or a second factor. */
export function First({ session }: { session: Schemas["SessionAnswer"] }) {
  const changed = useChanged();
  const [asked, setAsked] = useState(true);
  const menu = useAccountMenu(session, () => setAsked(true));
  const leave = menu.items.find((item) => item.key === "leave");
  return (
    <main className="sign-in">
      <section>
        <Brand />
        <h1>{session.workspace}</h1>
        {session.first === "password" ? (
          <>
            <p>Your password is over. Set another one to go on.</p>
            {asked ? (
              <ChangePassword
                close={() => {
                  setAsked(false);
                  void changed();
                }}
              />
            ) : (
              <button type="button" className="textlink" onClick={() => setAsked(true)}>
                Change my password
              </button>
            )}
          </>
        ) : (
          <>
            <p>This workspace asks for a second factor. Set yours up to go on.</p>
            <SecondFactor done={() => void changed()} />
          </>
        )}
        <p className="above-14">
          <button type="button" className="textlink" onClick={leave && "onClick" in leave ? leave.onClick : undefined}>
            Sign out
          </button>
        </p>
      </section>
    </main>
  );
}
