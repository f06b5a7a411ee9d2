import { Input, Select } from "antd";
import { useState } from "react";
import { NavLink } from "react-router-dom";
import type { Schemas } from "../../api/client";
import { usePeople } from "../../state/directory";
import { plural } from "../../ui/figures";
import { Scroll } from "../../ui/Scroll";
import { PagesEditor } from "../../ui/sentences/PagesEditor";
import { PagesWords } from "../../ui/sentences/Words";
import type { RoleEdits } from "../../ui/unsavedEdits";
import { isAbout } from "./Openers";
import { useEditedRoles } from "./UnsavedRoles";

type Props = { edits: RoleEdits; pages: Schemas["Page"][]; editable: boolean };

/** One list of all pages sentences of all roles, searched and edited in place. */
export function SentencesList({ edits, pages, editable }: Props) {
  const { entries } = useEditedRoles(edits);
  const people = usePeople();
  const [search, setSearch] = useState("");
  const [page, setPage] = useState<string | null>(null);
  const [open, setOpen] = useState<string | null>(null);
  const chosen = pages.find((item) => item.name === page);
  const all = entries.flatMap(({ entry, role }) =>
    (role.sentences ?? []).flatMap((sentence, place) => (sentence.pages ? [{ entry, role, sentence, place, pages: sentence.pages }] : [])),
  );
  const found = all.filter(({ role, entry, pages: said }) => {
    const text = [
      role.label,
      role.name,
      said.where,
      ...(said.on ?? []),
      ...said.actions,
      ...entry.assignments.map(({ assignment }) => assignment.group ?? assignment.user ?? assignment.when ?? "everyone"),
    ].join(" ");
    return text.toLowerCase().includes(search.trim().toLowerCase()) && (!chosen || isAbout(said, chosen));
  });
  return (
    <>
      <div className="row wrap below-8">
        <Input
          size="small"
          allowClear
          aria-label="Search sentences"
          placeholder="Search roles, pages, tags, people"
          className="wide-260"
          value={search}
          onChange={(event) => setSearch(event.target.value)}
        />
        <Select
          size="small"
          allowClear
          showSearch
          aria-label="About the page"
          placeholder="about any page"
          className="least-180"
          value={page}
          optionFilterProp="label"
          onChange={(next?: string) => setPage(next ?? null)}
          options={pages.map((item) => ({ value: item.name, label: item.label ?? item.name }))}
        />
        <span className="soft small">
          {found.length} of {plural(all.length, "sentence")}
        </span>
      </div>
      <Scroll label="Pages sentences" className="">
        <table className="data">
          <thead>
            <tr>
              <th>role</th>
              <th>sentence</th>
              <th>mapped to</th>
              <th className="number">people</th>
            </tr>
          </thead>
          <tbody>
            {found.map(({ entry, role, sentence, place, pages: said }) => {
              const key = `${entry.role.name}.${String(place)}`;
              return (
                <tr key={key} className={sentence.off ? "switched-off" : ""}>
                  <td className="nowrap">
                    <NavLink to={`/roles/${encodeURIComponent(entry.role.name)}`}>{role.label ?? role.name}</NavLink>
                    <div className="soft small">{role.kind}</div>
                  </td>
                  <td className="least-320">
                    <button
                      type="button"
                      className="plain words"
                      disabled={!editable}
                      aria-expanded={open === key}
                      onClick={() => setOpen(open === key ? null : key)}
                    >
                      {sentence.off && <span className="off-mark">switched off</span>}
                      <PagesWords sentence={said} limit={role.kind === "limit"} />
                    </button>
                    {open === key && (
                      <PagesEditor
                        sentence={said}
                        onChange={(next) =>
                          edits.change(entry.role.name, entry.version, entry.role, {
                            ...role,
                            sentences: (role.sentences ?? []).map((item, index) => (index === place ? { ...item, pages: next } : item)),
                          })
                        }
                        attributes={people.data?.attributes ?? []}
                        limit={role.kind === "limit"}
                      />
                    )}
                  </td>
                  <td className="small">
                    {entry.assignments.map(({ id, assignment }) => (
                      <div key={id}>{assignment.group ?? assignment.user ?? (assignment.everyone ? "everyone" : assignment.when)}</div>
                    ))}
                  </td>
                  <td className="number">{entry.people}</td>
                </tr>
              );
            })}
          </tbody>
        </table>
        {found.length === 0 && (
          <p className="soft">
            {all.length === 0 ? "No role says anything about pages yet: nobody can open one." : "No sentence matches."}
          </p>
        )}
      </Scroll>
    </>
  );
}
