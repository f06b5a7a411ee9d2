import { Button, Dropdown, Popover, Select } from "antd";
import { lazy, Suspense, useState } from "react";
import { NavLink, Outlet, useLocation, useNavigate } from "react-router-dom";
import type { Schemas } from "../api/client";
import { SCREENS, useRights } from "../state/rights";
import { useWorkbench } from "../state/workbench";
import { Brand } from "../ui/Brand";
import { ChangePassword } from "../ui/ChangePassword";
import { Fallen } from "../ui/Fallen";
import { plural } from "../ui/figures";
import { Notice } from "../ui/Notice";
import { useLeavingAsks } from "../ui/unsavedEdits";
import { useAccountMenu } from "../ui/useAccountMenu";
import { AskMark } from "./AskMark";
import { Finder } from "./Finder";
import "./narrow.css";
import { Keys } from "./Keys";
import { ScreenTitle } from "./ScreenTitle";
import { Tray } from "./Tray";

const AskPanel = lazy(() => import("../features/asking/AskPanel").then((module) => ({ default: module.AskPanel })));

/** Where the keyboard goes past the rail and the tray. */
const SCREEN = "screen";

export function Legend() {
  return (
    <div>
      <p>
        <span className="swatch visible" />
        visible: shown as it is
      </p>
      <p>
        <span className="swatch msk" />
        masked: shown in part
      </p>
      <p>
        <span className="swatch hid" />
        hidden: a row is withheld, an object is absent
      </p>
      <p className="soft small">
        Keys 0 to 4 choose through whose eyes you look; <kbd>?</kbd> lists all keys.
      </p>
    </div>
  );
}

export function Shell({ session }: { session: Schemas["SessionAnswer"] }) {
  const bench = useWorkbench();
  const navigate = useNavigate();
  const { pathname } = useLocation();
  const [changing, setChanging] = useState(false);
  const { may } = useRights();
  const looks = may("look-shapes", "roles", "models", "pages", "release");
  const menu = useAccountMenu(session, () => setChanging(true));
  useLeavingAsks();
  return (
    <div className="app">
      <button type="button" className="to-screen" onClick={() => document.getElementById(SCREEN)?.focus()}>
        To the screen
      </button>
      <nav className="rail" aria-label="Screens">
        <Brand />
        {SCREENS.filter((screen) => may(...screen.acts)).map(({ path, label }) => (
          <NavLink key={path} to={`/${path}`} className={({ isActive }) => (isActive ? "on" : "")}>
            {label}
          </NavLink>
        ))}
      </nav>
      <div className="main">
        <header>
          <div className="state">
            <Select
              showSearch
              optionFilterProp="label"
              aria-label="Model"
              value={bench.model}
              onChange={bench.setModel}
              options={bench.models.map((model) => ({ value: model.name, label: model.label }))}
              className="least-180"
              placeholder="No model yet"
            />
            {!looks ? null : bench.state === "draft" ? (
              <>
                <span className="state-mark" data-testid="state-mark">
                  <b>Draft</b> ·{" "}
                  {bench.live === null
                    ? "nothing released yet"
                    : `${bench.changes === 0 ? "same as" : `${plural(bench.changes, "change")} since`} release ${bench.live}`}
                </span>
                <button type="button" className="textlink" onClick={() => bench.setState("live")}>
                  look at live
                </button>
              </>
            ) : (
              <>
                <span className="state-mark live" data-testid="state-mark">
                  <b>Live</b> · {bench.live === null ? "nothing released yet" : `release ${bench.live}`}
                </span>
                <button type="button" className="textlink" onClick={() => bench.setState("draft")}>
                  back to the draft
                </button>
              </>
            )}
            {bench.day && (
              <span className="state-mark" data-testid="day-mark">
                as of <b>{bench.day}</b>{" "}
                <button type="button" className="textlink" onClick={() => bench.setDay(null)}>
                  back to today
                </button>
              </span>
            )}
            {may("look-shapes") && !may("look-values") && (
              <span className="state-mark" title="Your duty is to look at counts, states and verdicts; values read …">
                without values
              </span>
            )}
            <span className="grow" />
            <Finder />
            <Popover content={<Legend />} trigger="click" title="What the marks mean">
              <Button>Legend</Button>
            </Popover>
            {may("release", "roles", "models", "pages") && (
              <Button type="primary" onClick={() => navigate("/releases")}>
                {may("release") ? "Review and release" : "Review"}
              </Button>
            )}
            <Dropdown menu={menu} trigger={["click"]}>
              <Button aria-label={`Account ${session.account?.login ?? ""}`}>{session.account?.login}</Button>
            </Dropdown>
          </div>
          {bench.trailBroken && (
            <Notice kind="bad">
              The trail is not as it was written: {bench.trailBroken}. Keep a copy of the workspace’s folder, and find out who could write
              to it.
            </Notice>
          )}
          {looks && <Tray />}
        </header>
        <Keys />
        {changing && <ChangePassword close={() => setChanging(false)} />}
        <div className="work">
          <main className="screen" id={SCREEN} tabIndex={-1}>
            <ScreenTitle workspace={session.workspace} />
            <Suspense fallback={<div className="pad soft">Opening…</div>}>
              <Fallen at={pathname}>
                <Outlet />
              </Fallen>
            </Suspense>
          </main>
          <Suspense fallback={null}>
            <AskPanel />
          </Suspense>
          <AskMark />
        </div>
      </div>
    </div>
  );
}
