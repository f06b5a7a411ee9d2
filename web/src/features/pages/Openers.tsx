import { Button, Select } from "antd";
import { useState } from "react";
import { Link, NavLink } from "react-router-dom";
import type { Role, RoleEntry, Schemas, Sentence } from "../../api/client";
import { usePeople } from "../../state/directory";
import { useWorkbench } from "../../state/workbench";
import { plural } from "../../ui/figures";
import { PagesEditor } from "../../ui/sentences/PagesEditor";
import { PagesWords } from "../../ui/sentences/Words";
import type { RoleEdits } from "../../ui/unsavedEdits";
import { useEditedRoles } from "./UnsavedRoles";

type Page = Schemas["Page"];

/** Whether a pages sentence can be about a page: by name, by shelf, or about any. */
export function isAbout(pages: NonNullable<Sentence["pages"]>, page: Page): boolean {
  const named = !pages.on || pages.on.includes(`page:${page.name}`) || pages.on.includes(`shelf:${page.shelf}`);
  return named && !cannotBe(pages.where ?? "", page);
}

/** Whether a condition asks for something the page is not, whoever looks: a plain comparison of its name, shelf, owner or tags, joined by AND. */
function cannotBe(where: string, page: Page): boolean {
  if (/\bOR\b|\bNOT\b|\(/i.test(where)) return false;
  return where.split(/\bAND\b/i).some((clause) => {
    const tag = clause.match(/^\s*'([^']*)'\s+IN\s+page\.tags\s*$/i)?.[1];
    if (tag !== undefined) return !(page.tags ?? []).includes(tag);
    const [, what, value] = clause.match(/^\s*page\.(name|shelf|owner)\s*=\s*'([^']*)'\s*$/i) ?? [];
    return what !== undefined && (page[what.toLowerCase() as "name" | "shelf" | "owner"] ?? null) !== value;
  });
}

type Props = { entry: Schemas["PageEntry"]; edits: RoleEdits; editable: boolean };

/** From the page's side: the sentences that open or close it, edited in place, and everybody who can open it. */
export function Openers({ entry, edits, editable }: Props) {
  const { entries } = useEditedRoles(edits);
  const people = usePeople();
  const bench = useWorkbench();
  const { page } = entry;
  const [open, setOpen] = useState<string | null>(null);
  const about = entries.flatMap(({ entry: kept, role }) =>
    (role.sentences ?? []).flatMap((sentence, place) =>
      sentence.pages && isAbout(sentence.pages, page) ? [{ kept, role, sentence, place, pages: sentence.pages }] : [],
    ),
  );
  const change = (kept: RoleEntry, role: Role, sentences: Sentence[]) =>
    edits.change(kept.role.name, kept.version, kept.role, { ...role, sentences });
  const openers = entry.openers
    .map((login) => people.data?.people.find((person) => person.login === login))
    .filter((person) => person !== undefined);
  return (
    <>
      <h3 className="above-0">Opened or closed by</h3>
      {about.map(({ kept, role, sentence, place, pages }) => {
        const key = `${kept.role.name}.${String(place)}`;
        const replace = (next: Sentence | null) =>
          change(
            kept,
            role,
            (role.sentences ?? []).flatMap((item, index) => (index === place ? (next ? [next] : []) : [item])),
          );
        return (
          <div key={key} className={`sentence ${open === key ? "open" : ""} ${sentence.off ? "switched-off" : ""}`}>
            <div className="row">
              <NavLink to={`/roles/${encodeURIComponent(kept.role.name)}`}>{role.label ?? role.name}</NavLink>{" "}
              <span className="soft small">{role.kind}</span>
              <span className="grow" />
              {editable && (
                <button
                  type="button"
                  className="textlink small"
                  aria-expanded={open === key}
                  onClick={() => setOpen(open === key ? null : key)}
                >
                  {open === key ? "close" : "edit"}
                </button>
              )}
            </div>
            <div className="small words">
              <PagesWords sentence={pages} limit={role.kind === "limit"} />
            </div>
            {open === key && (
              <>
                <PagesEditor
                  sentence={pages}
                  onChange={(next) => replace({ ...sentence, pages: next })}
                  attributes={people.data?.attributes ?? []}
                  limit={role.kind === "limit"}
                />
                <div className="row small above-6">
                  {pages.on?.includes(`page:${page.name}`) && pages.on.length > 1 && (
                    <button
                      type="button"
                      className="textlink"
                      onClick={() =>
                        replace({ ...sentence, pages: { ...pages, on: (pages.on ?? []).filter((item) => item !== `page:${page.name}`) } })
                      }
                    >
                      Take this page out of it
                    </button>
                  )}
                  <button
                    type="button"
                    className="textlink warn"
                    onClick={() => {
                      setOpen(null);
                      replace(null);
                    }}
                  >
                    Take the sentence out
                  </button>
                </div>
              </>
            )}
          </div>
        );
      })}
      {about.length === 0 && <p className="soft">No role opens this page.</p>}
      {editable && (
        <Select
          size="small"
          showSearch
          aria-label="Open or close it in a role"
          placeholder="+ open or close it in a role"
          className="full"
          value={null}
          optionFilterProp="label"
          onChange={(name: string) => {
            const found = entries.find(({ entry: kept }) => kept.role.name === name);
            if (!found) return;
            const sentences = found.role.sentences ?? [];
            change(found.entry, found.role, [...sentences, { pages: { actions: ["open"], on: [`page:${page.name}`], where: null } }]);
            setOpen(`${name}.${String(sentences.length)}`);
          }}
          options={entries.map(({ role, entry: kept }) => ({
            value: kept.role.name,
            label: `${role.label ?? role.name} (${role.kind === "grant" ? "opens" : "closes"})`,
          }))}
        />
      )}
      <h3>
        {plural(openers.length, "person", "people")} can open it {edits.names().length > 0 && <span className="aside">— as saved</span>}
      </h3>
      {openers.slice(0, 200).map((person) => (
        <div key={person.login} className="row small person-opens">
          <NavLink to={`/people/${encodeURIComponent(person.login)}`} className="cut">
            {person.name}
          </NavLink>
          <span className="soft">{person.login}</span>
          <span className="grow" />
          <button
            type="button"
            className="textlink"
            onClick={() =>
              bench.pin({
                key: `user:${person.login}`,
                title: person.name,
                detail: `${person.login} · ${person.roles.join(", ")}`,
                viewer: person.login,
              })
            }
          >
            look as
          </button>
        </div>
      ))}
      {openers.length > 200 && <p className="soft small">The first 200 of {openers.length}; the grid lists all.</p>}
      <p className="above-8">
        <Link to="/pages/grid/people">
          <Button size="small">Everybody against every page</Button>
        </Link>
      </p>
    </>
  );
}
