import { useQuery } from "@tanstack/react-query";
import { Segmented } from "antd";
import { useState } from "react";
import { Link } from "react-router-dom";
import { queries } from "../../api/queries";
import { usePeople, useRoles } from "../../state/directory";
import { useModel, useWorkbench } from "../../state/workbench";
import { Notice } from "../../ui/Notice";
import { Scroll } from "../../ui/Scroll";
import { type Circle, type Coverage as Covered, coverageOfCube, coverageOfPage, coverageOfTable, inWords } from "./coverage";

type Against = "groups" | "roles" | "tray";

/** Who sees how much of each table and which pages, at a glance. */
export function Coverage() {
  const bench = useWorkbench();
  const model = useModel();
  const people = usePeople();
  const roles = useRoles();
  const [against, setAgainst] = useState<Against>("groups");
  const found = useQuery({ ...queries.reach({ state: bench.state, model: bench.model }), enabled: bench.model !== null });
  const listed = people.data?.people ?? [];
  const circles: Circle[] =
    against === "groups"
      ? (people.data?.groups ?? []).map((group) => ({
          key: group.name,
          label: group.label ?? group.name,
          logins: listed.filter((person) => person.groups.includes(group.name) && person.enabled).map((person) => person.login),
        }))
      : against === "roles"
        ? (roles.data?.roles ?? [])
            .filter((item) => item.role.kind === "grant")
            .map((item) => ({
              key: item.role.name,
              label: item.role.label ?? item.role.name,
              logins: listed.filter((person) => person.enabled && person.roles.includes(item.role.name)).map((person) => person.login),
            }))
        : bench.pins.flatMap((pin) => (typeof pin.viewer === "string" ? [{ key: pin.key, label: pin.title, logins: [pin.viewer] }] : []));
  const columns = circles.filter((circle) => circle.logins.length > 0);
  const tables = model.data?.document.tables ?? [];
  const pages = (useQuery(queries.pages(bench.state)).data?.shelves ?? []).flatMap((shelf) => shelf.pages);
  return (
    <section aria-label="Who sees how much">
      <div className="row below-8">
        <h3>Who sees how much</h3>
        <span className="grow" />
        <Segmented
          aria-label="Against whom"
          value={against}
          onChange={(value) => setAgainst(value as Against)}
          options={[
            { value: "groups", label: "groups" },
            { value: "roles", label: "roles" },
            { value: "tray", label: "pinned viewers" },
          ]}
        />
      </div>
      {found.isError && <Notice kind="bad">{found.error.message}</Notice>}
      {!found.data && !found.isError && bench.model !== null && <p className="soft">Looking at everybody…</p>}
      {columns.length === 0 && (against !== "roles" || people.data?.held) && (
        <p className="soft">{against === "tray" ? "Pin somebody above, and they stand here." : "Nobody is in any of them yet."}</p>
      )}
      {found.data && columns.length > 0 && (
        <Scroll label="Coverage">
          <table className="data coverage">
            <thead>
              <tr>
                <th>table, cube or page</th>
                {columns.map((circle) => (
                  <th key={circle.key} title={`${circle.label}, ${circle.logins.length} people`}>
                    {circle.label} <span className="soft">{circle.logins.length}</span>
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {found.data.tables.map((table, place) => {
                const name = table.name.slice(table.name.indexOf(".") + 1);
                return (
                  <tr key={table.name}>
                    <th scope="row">
                      <Link to="/reach">{tables.find((item) => item.name === name)?.label ?? name}</Link>
                    </th>
                    {columns.map((circle) => (
                      <CoveredCell key={circle.key} covered={coverageOfTable(found.data.classes, circle, place, table.of)} />
                    ))}
                  </tr>
                );
              })}
              {(model.data?.document.cubes ?? []).map((cube) => {
                const facts = found.data.tables.flatMap((item, place) =>
                  cube.facts.some((fact) => item.name === `${bench.model}.${fact}`) ? [{ place, of: item.of }] : [],
                );
                return (
                  <tr key={cube.name}>
                    <th scope="row">
                      <Link to={`/models/cube/${encodeURIComponent(cube.name)}`}>{cube.label ?? cube.name}</Link>{" "}
                      <span className="soft">cube</span>
                    </th>
                    {columns.map((circle) => (
                      <CoveredCell
                        key={circle.key}
                        covered={coverageOfCube(found.data.classes, circle, `${bench.model}.${cube.name}`, facts)}
                      />
                    ))}
                  </tr>
                );
              })}
              {pages
                .filter((entry) => !entry.page.model || entry.page.model === bench.model)
                .map((entry) => (
                  <tr key={entry.page.name}>
                    <th scope="row">
                      <Link to={`/pages/${encodeURIComponent(entry.page.name)}`}>{entry.page.label ?? entry.page.name}</Link>{" "}
                      <span className="soft">page</span>
                    </th>
                    {columns.map((circle) => (
                      <CoveredCell key={circle.key} covered={coverageOfPage(found.data.classes, circle, entry.page.name)} />
                    ))}
                  </tr>
                ))}
            </tbody>
          </table>
        </Scroll>
      )}
      <p className="soft small">
        Of the rows base filters leave; where people of one column differ, from the least to the most that anybody of it sees. A page opens
        for all, for some or for none.
      </p>
    </section>
  );
}

function CoveredCell({ covered }: { covered: Covered }) {
  return <td className={`covered ${covered.state}`}>{inWords(covered)}</td>;
}
