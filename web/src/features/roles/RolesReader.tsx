import { NavLink, useParams } from "react-router-dom";
import type { RoleEntry } from "../../api/client";
import { useRoles } from "../../state/directory";
import { useRights } from "../../state/rights";
import { useWorkbench } from "../../state/workbench";
import { Empty, Notice } from "../../ui/Notice";
import { useOpenFirst } from "../../ui/useOpenFirst";
import { Holders } from "./Holders";
import { Mapping } from "./Mapping";
import "./roles.css";
import "../../ui/forms.css";

/** Roles for who does not write them: what each says, who holds it, and whom it is mapped to. */
export function RolesReader() {
  const { role: wanted } = useParams();
  const { may } = useRights();
  const bench = useWorkbench();
  const roles = useRoles();
  const entries = roles.data?.roles ?? [];
  const shown = entries.filter((item) => !item.role.model || item.role.model === bench.model || !bench.model);
  useOpenFirst("/roles", shown[0]?.role.name);
  if (roles.isError) return <Notice kind="bad">{roles.error.message}</Notice>;
  if (roles.isPending) return <div className="pad soft">Opening…</div>;
  const entry = entries.find((item) => item.role.name === wanted);
  return (
    <div className="reader">
      <nav aria-label="Roles">
        {shown.map((item) => (
          <NavLink
            key={item.role.name}
            to={`/roles/${encodeURIComponent(item.role.name)}`}
            className={({ isActive }) => `side-line ${isActive ? "on" : ""}`}
          >
            <span className="cut">{item.role.label ?? item.role.name}</span>
            <span className="n" title="people who hold it">
              {item.people}
            </span>
          </NavLink>
        ))}
        {shown.length === 0 && <p className="soft small">No role is in the scope of your duties.</p>}
      </nav>
      <section aria-label="Role">
        {entry ? (
          <Reading entry={entry} mapping={may("map")} />
        ) : (
          <Empty title="Choose a role">What it says and who holds it appear here.</Empty>
        )}
      </section>
    </div>
  );
}

function Reading({ entry, mapping }: { entry: RoleEntry; mapping: boolean }) {
  const { role } = entry;
  return (
    <>
      <h2>
        {role.label ?? role.name} <span className="soft">{role.kind === "grant" ? "grant: opens" : "limit: narrows"}</span>
      </h2>
      {role.about && <p>{role.about}</p>}
      <h3>Says</h3>
      {entry.told === null || entry.told === undefined || entry.told.length === 0 ? (
        <p className="soft">{role.kind === "grant" ? "Nothing: it opens all of its model." : "Nothing: it narrows nothing."}</p>
      ) : (
        <ol className="told" data-testid="told">
          {entry.told.map((words, place) => (
            <li key={place}>it {words}</li>
          ))}
        </ol>
      )}
      {mapping ? <Mapping entry={entry} /> : null}
      <h3>Who holds it</h3>
      <p>{entry.people === 0 ? "Nobody you know of." : <Holders entry={entry} />}</p>
    </>
  );
}
