import { Button } from "antd";
import { NavLink } from "react-router-dom";
import { type PeopleData, usePlace } from "../../state/directory";
import { plural } from "../../ui/figures";
import { Notice } from "../../ui/Notice";

/** A group or organization chosen in the tree: what it sets and gives. */
export function PlaceCard({
  kind,
  name,
  people,
  edit,
}: {
  kind: "group" | "organization";
  name: string;
  people: PeopleData;
  edit: () => void;
}) {
  const place = usePlace(kind, name);
  if (place.isError) return <Notice kind="bad">{place.error.message}</Notice>;
  if (!place.data) return <p className="soft">Opening…</p>;
  const found = place.data;
  const labelOf = (other: string) =>
    (kind === "group" ? people.groups : people.organizations).find((item) => item.name === other)?.label ?? other;
  const values = Object.entries(found.attributes);
  return (
    <div data-testid="place-card">
      <div className="row">
        <h2 className="cut">{found.label}</h2>
        <code>{found.name}</code>
        <span className="grow" />
        <Button size="small" onClick={edit}>
          Edit…
        </Button>
      </div>
      <p className="soft">
        {kind} {!found.enabled && <span className="warn">· disabled, gives nothing</span>}{" "}
        {found.priority !== null && `· priority ${found.priority}`} {found.keeper && `· kept by ${found.keeper}`}
      </p>
      {found.about && <p>{found.about}</p>}
      <p>
        Reaches <b>{plural(found.reached, "person", "people")}</b>, {found.users.length} of them directly.
      </p>
      {found.parents.length > 0 && (
        <p>
          <span className="soft">Lies in </span>
          {found.parents.map(labelOf).join(", ")}
        </p>
      )}
      {found.groups.length > 0 && (
        <p>
          <span className="soft">Holds </span>
          {found.groups.map(labelOf).join(", ")}
        </p>
      )}
      <h3>Sets</h3>
      {values.length === 0 && <p className="soft small">No attribute.</p>}
      {values.map(([attribute, kept]) => {
        const written =
          typeof kept === "object" && kept !== null && !Array.isArray(kept) && "value" in kept ? kept : { value: kept, locked: false };
        return (
          <p key={attribute}>
            <span className="soft">{attribute}</span>{" "}
            <b>{Array.isArray(written.value) ? written.value.join(", ") : String(written.value)}</b>
            {written.locked && <span className="small"> locked</span>}
          </p>
        );
      })}
      {kind === "group" && (
        <>
          <h3>Gives</h3>
          {found.roles.length === 0 ? <p className="soft small">No role is mapped to it.</p> : <p>{found.roles.join(", ")}</p>}
          <p className="small">
            <NavLink to="/roles">Map a role on the bench</NavLink>
          </p>
        </>
      )}
    </div>
  );
}
