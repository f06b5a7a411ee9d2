import { useQuery } from "@tanstack/react-query";
import { Button, Input, Modal } from "antd";
import { memo, useState } from "react";
import type { RoleEntry } from "../../api/client";
import { queries } from "../../api/queries";
import { plural } from "../../ui/figures";
import { Notice } from "../../ui/Notice";
import { Scroll } from "../../ui/Scroll";
import { what } from "./Mapping";

/** How many are listed at once; the rest is searched for. */
const LISTED = 200;

/** How many hold a role; a press lists who they are, and by which way each holds it. */
export const Holders = memo(function Holders({ entry }: { entry: RoleEntry }) {
  const [open, setOpen] = useState(false);
  const ways = entry.assignments.filter((item) => item.people > 0).length;
  return (
    <>
      <button type="button" className="textlink" onClick={() => setOpen(true)}>
        held by {plural(entry.people, "person", "people")}, {plural(ways, "way")}
      </button>
      <Modal
        open={open}
        onCancel={() => setOpen(false)}
        footer={<Button onClick={() => setOpen(false)}>Close</Button>}
        title={`Who holds ${entry.role.label ?? entry.role.name}`}
        width={560}
        destroyOnHidden
      >
        <HoldersList role={entry.role.name} />
      </Modal>
    </>
  );
});

/** Who holds a role, by which way; found by name or login where they are many. */
function HoldersList({ role }: { role: string }) {
  const found = useQuery(queries.roleHolders(role));
  const [search, setSearch] = useState("");
  if (found.isError) return <Notice kind="bad">{found.error.message}</Notice>;
  if (!found.data) return <p className="soft">Opening…</p>;
  const { holders } = found.data;
  if (holders.length === 0) return <p className="soft">Nobody you know of holds this role.</p>;
  const wanted = search.trim().toLowerCase();
  const matching = wanted ? holders.filter((holder) => `${holder.name} ${holder.login}`.toLowerCase().includes(wanted)) : holders;
  return (
    <>
      {holders.length > LISTED && (
        <Input
          aria-label="Search who holds it"
          placeholder="name or login"
          value={search}
          onChange={(event) => setSearch(event.target.value)}
          allowClear
        />
      )}
      <Scroll label="Who holds it" className="scroll low-420">
        <table className="data">
          <thead>
            <tr>
              <th>Person</th>
              <th>By</th>
            </tr>
          </thead>
          <tbody>
            {matching.slice(0, LISTED).map((holder) => (
              <tr key={holder.login}>
                <td>
                  {holder.name} <span className="soft small">{holder.login}</span>{" "}
                  {!holder.enabled && <span className="warn small">disabled</span>}
                </td>
                <td>
                  {holder.paths
                    .map((path) => (path.groups.length ? path.groups.join(" ← ") : path.assignment ? what(path.assignment) : ""))
                    .join("; ")}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        {matching.length === 0 && <p className="soft">Nobody who holds it is called that.</p>}
      </Scroll>
      {matching.length > LISTED && (
        <p className="soft small">
          {LISTED} of {plural(matching.length, "person", "people")}; search for the others.
        </p>
      )}
    </>
  );
}
