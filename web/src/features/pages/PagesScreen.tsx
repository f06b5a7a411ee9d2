import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { NavLink, useNavigate, useParams } from "react-router-dom";
import { api, data, type Schemas } from "../../api/client";
import { usePeople, useRoles } from "../../app/Tray";
import { focusedViewer, useWorkbench } from "../../app/workbench";
import { plural } from "../../ui/figures";
import { Letter } from "../../ui/Letter";
import { Empty, Notice } from "../../ui/Notice";
import { PageView } from "../../ui/PageView";
import { Scroll } from "../../ui/Scroll";
import { PagesWords } from "../roles/Words";
import "../roles/roles.css";
import "./pages.css";

/** Shelves and pages; the page as the focused viewer sees it; who can open it. */
export default function PagesScreen() {
  const { page: wanted } = useParams();
  const navigate = useNavigate();
  const bench = useWorkbench();
  const pages = useQuery({
    queryKey: ["pages", bench.state],
    queryFn: () => data(api.GET("/api/pages", { params: { query: { state: bench.state } } })),
  });
  const first = pages.data?.shelves.flatMap((shelf) => shelf.pages)[0]?.page.name;
  useEffect(() => {
    if (!wanted && first) navigate(`/pages/${encodeURIComponent(first)}`, { replace: true });
  }, [wanted, first, navigate]);
  const viewer = focusedViewer(bench);
  const pin = bench.pins[bench.focus - 1];
  const look = useQuery({
    queryKey: ["look", wanted, bench.state, viewer],
    queryFn: () =>
      data(api.POST("/api/pages/{page}/look", { params: { path: { page: wanted ?? "" } }, body: { state: bench.state, viewer } })),
    enabled: wanted !== undefined,
  });
  const entry = pages.data?.shelves.flatMap((shelf) => shelf.pages).find((item) => item.page.name === wanted);
  if (pages.isError) return <Notice kind="bad">{pages.error.message}</Notice>;
  return (
    <div className="pages-screen">
      <nav aria-label="Pages">
        {pages.data?.shelves.map((shelf) => (
          <div key={shelf.name}>
            <h3>{shelf.label}</h3>
            {shelf.pages.map((item) => (
              <NavLink
                key={item.page.name}
                to={`/pages/${encodeURIComponent(item.page.name)}`}
                className={({ isActive }) => `role-line ${isActive ? "on" : ""}`}
              >
                <span className="cut">{item.page.label ?? item.page.name}</span>
                <span className="n" title="people who can open it">
                  {item.openers.length}
                </span>
              </NavLink>
            ))}
          </div>
        ))}
        {pages.data?.shelves.length === 0 && <p className="soft">No pages yet. They come in with a bundle.</p>}
      </nav>
      <Scroll label="Page" className="">
        {wanted && pages.data && !entry && (
          <Empty title={`There is no page ${wanted}`}>
            <p>Choose another on the left.</p>
          </Empty>
        )}
        {entry && (
          <div className="row" style={{ marginBottom: 8 }}>
            <h2>{entry.page.label ?? entry.page.name}</h2>
            <span className="grow" />
            <span className="soft row">
              as <Letter place={bench.focus} little /> {pin ? pin.title : "all data"} {bench.state === "draft" ? "in the draft" : "live"}
            </span>
          </div>
        )}
        {look.isError && <Notice kind="bad">{look.error.message}</Notice>}
        {look.data && !look.data.can_open && (
          <div className="closed hid" data-testid="page-closed">
            <b>This page does not exist for {pin?.title ?? "this viewer"}.</b>
            <p>{look.data.reason}</p>
          </div>
        )}
        {look.data?.page && <PageView page={look.data.page} />}
      </Scroll>
      <aside>{entry && <Openers entry={entry} />}</aside>
    </div>
  );
}

function Openers({ entry }: { entry: Schemas["PageEntry"] }) {
  const roles = useRoles();
  const people = usePeople();
  const bench = useWorkbench();
  const name = entry.page.name;
  const sentences = (roles.data?.roles ?? []).flatMap(({ role }) =>
    (role.sentences ?? []).flatMap((sentence) => {
      const pages = sentence.pages;
      const about = pages && (!pages.on || pages.on.includes(`page:${name}`) || pages.on.includes(`shelf:${entry.page.shelf}`));
      return pages && about ? [{ role, pages }] : [];
    }),
  );
  const openers = entry.openers
    .map((login) => people.data?.people.find((person) => person.login === login))
    .filter((person) => person !== undefined);
  return (
    <>
      <h3 style={{ marginTop: 0 }}>Opened or closed by</h3>
      {sentences.map(({ role, pages }, index) => (
        <div key={`${role.name}.${String(index)}`} className="sentence">
          <NavLink to={`/roles/${encodeURIComponent(role.name)}`}>{role.label ?? role.name}</NavLink>{" "}
          <span className="soft small">{role.kind}</span>
          <div className="small">
            <PagesWords sentence={pages} limit={role.kind === "limit"} />
          </div>
        </div>
      ))}
      {sentences.length === 0 && <p className="soft">No role opens this page.</p>}
      <h3>{plural(openers.length, "person", "people")} can open it</h3>
      {openers.map((person) => (
        <div key={person.login} className="row small">
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
    </>
  );
}
