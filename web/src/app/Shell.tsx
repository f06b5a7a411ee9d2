import { useQueryClient } from "@tanstack/react-query";
import { App, Button, Dropdown, Popover, Select } from "antd";
import { Suspense } from "react";
import { NavLink, Outlet, useNavigate } from "react-router-dom";
import { api, data, type Schemas } from "../api/client";
import { plural } from "../ui/figures";
import { pageEdits, roleEdits, unsavedInWords, useLeavingAsks } from "../ui/unsavedEdits";
import { Finder } from "./Finder";
import { Keys } from "./Keys";
import { useMode } from "./mode";
import { Tray } from "./Tray";
import { useWorkbench } from "./workbench";

const SCREENS = [
  ["models", "Models"],
  ["people", "People"],
  ["roles", "Roles"],
  ["pages", "Pages"],
  ["viewers", "Viewers"],
  ["releases", "Releases"],
  ["trail", "Trail"],
] as const;

export function Brand() {
  return (
    <div className="brand">
      <svg viewBox="0 0 24 18" aria-hidden="true">
        <path d="M1 15c4-7 6-7 9-3 3-6 6-9 13-1" />
        <path d="M1 17h22" />
      </svg>
      Moorland
    </div>
  );
}

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

export function useAccountMenu(session: Schemas["SessionAnswer"]) {
  const client = useQueryClient();
  const { mode, setMode } = useMode();
  const { modal } = App.useApp();
  const leave = async () => {
    await data(api.DELETE("/api/session"));
    roleEdits.forget();
    pageEdits.forget();
    client.clear();
    await client.invalidateQueries({ queryKey: ["session"] });
    window.location.assign("/");
  };
  const askThenLeave = () => {
    const unsaved = unsavedInWords();
    if (unsaved === null) return void leave();
    modal.confirm({
      title: "Sign out without saving?",
      content: `Unsaved edits would be lost: ${unsaved}.`,
      okText: "Sign out",
      cancelText: "Stay",
      onOk: leave,
    });
  };
  return {
    items: [
      { key: "who", label: `${session.account?.name} · ${session.account?.login}`, disabled: true },
      {
        key: "mode",
        label: mode === "dark" ? "Light colours" : "Dark colours",
        onClick: () => setMode(mode === "dark" ? "light" : "dark"),
      },
      { key: "leave", label: "Sign out", onClick: askThenLeave },
    ],
  };
}

export function Shell({ session }: { session: Schemas["SessionAnswer"] }) {
  const bench = useWorkbench();
  const navigate = useNavigate();
  const menu = useAccountMenu(session);
  useLeavingAsks();
  return (
    <div className="app">
      <nav className="rail" aria-label="Screens">
        <Brand />
        {SCREENS.map(([path, label]) => (
          <NavLink key={path} to={`/${path}`} className={({ isActive }) => (isActive ? "on" : "")}>
            {label}
          </NavLink>
        ))}
        <span className="later">Overview, Reach and Checks come with later versions.</span>
      </nav>
      <div className="main">
        <div className="state">
          <Select
            showSearch
            optionFilterProp="label"
            aria-label="Model"
            value={bench.model}
            onChange={bench.setModel}
            options={bench.models.map((model) => ({ value: model.name, label: model.label }))}
            style={{ minWidth: 180 }}
            placeholder="No model yet"
          />
          {bench.state === "draft" ? (
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
          <span className="grow" />
          <Finder />
          <Popover content={<Legend />} trigger="click" title="What the marks mean">
            <Button>Legend</Button>
          </Popover>
          <Button type="primary" onClick={() => navigate("/releases")}>
            Review and release
          </Button>
          <Dropdown menu={menu} trigger={["click"]}>
            <Button aria-label={`Account ${session.account?.login ?? ""}`}>{session.account?.login}</Button>
          </Dropdown>
        </div>
        <Tray />
        <Keys />
        <main className="screen">
          <Suspense fallback={<div className="pad soft">Opening…</div>}>
            <Outlet />
          </Suspense>
        </main>
      </div>
    </div>
  );
}
