import { NavLink, useParams } from "react-router-dom";
import { Duties } from "./Duties";
import "./settings.css";

const VIEWS = [["duties", "Duties"]] as const;

/** What concerns the workspace as a whole. */
export default function SettingsScreen() {
  const { view } = useParams();
  const chosen = VIEWS.find(([name]) => name === view)?.[0] ?? "duties";
  return (
    <div className="pad keeping">
      {VIEWS.length > 1 && (
        <nav className="row below-8" aria-label="Settings">
          {VIEWS.map(([name, label]) => (
            <NavLink key={name} to={`/settings/${name}`} className={chosen === name ? "view on" : "view"}>
              {label}
            </NavLink>
          ))}
        </nav>
      )}
      {chosen === "duties" && <Duties />}
    </div>
  );
}
