import { useQueryClient } from "@tanstack/react-query";
import { App } from "antd";
import { useNavigate } from "react-router-dom";
import { api, data, type Schemas } from "../api/client";
import { useMode } from "../state/mode";
import { ownPageEdits, pageEdits, roleEdits, unsavedInWords } from "./unsavedEdits";

/** Who is signed in, light or dark, and signing out, which asks before edits are lost. */
export function useAccountMenu(session: Schemas["SessionAnswer"], changePassword: () => void) {
  const client = useQueryClient();
  const { mode, setMode } = useMode();
  const { modal } = App.useApp();
  const navigate = useNavigate();
  const leave = async () => {
    await data(api.DELETE("/api/session"));
    roleEdits.forget();
    pageEdits.forget();
    ownPageEdits.forget();
    client.clear();
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
      { key: "me", label: "My account", onClick: () => navigate("/me") },
      { key: "password", label: "Change my password…", onClick: changePassword },
      { key: "leave", label: "Sign out", onClick: askThenLeave },
    ],
  };
}
