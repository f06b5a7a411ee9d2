import { NavLink, useParams } from "react-router-dom";
import { Door } from "./Door";
import { Duties } from "./Duties";
import { OutsideViewers } from "./OutsideViewers";
import { SignInRules } from "./SignInRules";
import { Tokens } from "./Tokens";
import { Workspace } from "./Workspace";
import "./settings.css";

const VIEWS = [
  ["duties", "Duties"],
  ["sign-in", "Sign-in"],
  ["tokens", "Tokens"],
  ["door", "Query door"],
  ["outside", "Outside viewers"],
  ["workspace", "Workspace"],
] as const;

/** What concerns the workspace as a whole. */
export default function SettingsScreen() {
  const { view } = useParams();
  const chosen = VIEWS.find(([name]) => name === view)?.[0] ?? "duties";
  return (
    <div className="pad keeping">
      <nav className="row below-8" aria-label="Settings">
        {VIEWS.map(([name, label]) => (
          <NavLink key={name} to={`/settings/${name}`} className={chosen === name ? "view on" : "view"}>
            {label}
          </NavLink>
        ))}
      </nav>
      {chosen === "duties" && <Duties />}
      {chosen === "sign-in" && <SignInRules />}
      {chosen === "tokens" && <Tokens />}
      {chosen === "door" && <Door />}
      {chosen === "outside" && <OutsideViewers />}
      {chosen === "workspace" && <Workspace />}
    </div>
  );
}
