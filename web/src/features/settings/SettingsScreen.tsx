import { NavLink, useParams } from "react-router-dom";
import { useRights } from "../../state/rights";
import { Door } from "./Door";
import { Duties } from "./Duties";
import { OutsideViewers } from "./OutsideViewers";
import { Origins } from "./origins/Origins";
import { SignInRules } from "./SignInRules";
import { Sources } from "./Sources";
import { Tokens } from "./Tokens";
import { Workspace } from "./Workspace";
import "./settings.css";

const VIEWS = [
  ["duties", "Duties"],
  ["sign-in", "Sign-in"],
  ["directories", "Directories"],
  ["tokens", "Tokens"],
  ["door", "Query door"],
  ["outside", "Outside viewers"],
  ["sources", "Sources"],
  ["workspace", "Workspace"],
] as const;

/** What concerns the workspace as a whole. */
export default function SettingsScreen() {
  const { view } = useParams();
  const { may, keepsAll } = useRights();
  const views = VIEWS.filter(([name]) => (name === "directories" ? keepsAll : may(name === "sources" ? "sources" : "settings")));
  const chosen = (views.find(([name]) => name === view) ?? views[0])?.[0];
  return (
    <div className="pad keeping">
      <nav className="row below-8" aria-label="Settings">
        {views.map(([name, label]) => (
          <NavLink key={name} to={`/settings/${name}`} className={chosen === name ? "view on" : "view"}>
            {label}
          </NavLink>
        ))}
      </nav>
      {chosen === "duties" && <Duties />}
      {chosen === "sign-in" && <SignInRules />}
      {chosen === "directories" && <Origins />}
      {chosen === "tokens" && <Tokens />}
      {chosen === "door" && <Door />}
      {chosen === "outside" && <OutsideViewers />}
      {chosen === "sources" && <Sources />}
      {chosen === "workspace" && <Workspace />}
    </div>
  );
}
