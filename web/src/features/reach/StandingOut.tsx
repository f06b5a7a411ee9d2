import type { Schemas } from "../../api/client";
import { useWorkbench } from "../../state/workbench";
import { plural } from "../../ui/figures";

/** People who see otherwise than most of their group or organization, and by what. */
export function StandingOut({ found }: { found: Schemas["StandsOut"][] }) {
  const { pin } = useWorkbench();
  if (found.length === 0) return null;
  return (
    <details className="reach-out" data-testid="standing-out">
      <summary>
        <b>{plural(found.length, "person stands", "people stand")} out</b> from most of their group or organization
      </summary>
      <ul className="small">
        {found.map((person) => (
          <li key={person.login}>
            <button
              type="button"
              className="textlink"
              title="pin"
              onClick={() => pin({ key: `user:${person.login}`, title: person.name, detail: person.login, viewer: person.login })}
            >
              {person.name}
            </button>{" "}
            {person.message}.
          </li>
        ))}
      </ul>
    </details>
  );
}
