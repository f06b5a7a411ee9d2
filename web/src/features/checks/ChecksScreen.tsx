import { NavLink, useParams } from "react-router-dom";
import type { Schemas } from "../../api/client";
import "./checks.css";
import { Findings } from "./Findings";
import { Guarding } from "./Guarding";
import { Parity } from "./Parity";
import { Probe } from "./Probe";
import { Promises } from "./Promises";
import { Movers } from "./reviews/Movers";
import { Reviews } from "./reviews/Reviews";

/** What is checked again and again: what must hold, what looks wrong, what could be worked out, and that every way to ask answers the same. */
export default function ChecksScreen({ session }: { session: Schemas["SessionAnswer"] }) {
  const { view } = useParams();
  const acts = session.account?.acts ?? [];
  const views = [
    ...(acts.includes("checks") || acts.includes("release") ? [["promises", "Promises"]] : []),
    ...(session.account?.everywhere.includes("checks")
      ? [
          ["guarding", "Guarding"],
          ["findings", "Findings"],
          ["probe", "Probe"],
        ]
      : []),
    ...(acts.includes("checks") ? [["reviews", "Reviews"]] : []),
    ...(session.account?.everywhere.includes("checks") || session.account?.everywhere.includes("people") ? [["movers", "Movers"]] : []),
    ...(session.account?.everywhere.includes("look-values") ? [["parity", "Parity"]] : []),
  ];
  const chosen = views.find(([name]) => name === view)?.[0] ?? views[0]?.[0];
  return (
    <div className="pad">
      <nav className="row below-8" aria-label="Checks">
        {views.map(([name, label]) => (
          <NavLink key={name} to={`/checks/${name}`} className={chosen === name ? "check-view on" : "check-view"}>
            {label}
          </NavLink>
        ))}
      </nav>
      {chosen === "promises" && <Promises />}
      {chosen === "guarding" && <Guarding />}
      {chosen === "findings" && <Findings />}
      {chosen === "probe" && <Probe />}
      {chosen === "reviews" && <Reviews />}
      {chosen === "movers" && <Movers />}
      {chosen === "parity" && <Parity />}
    </div>
  );
}
