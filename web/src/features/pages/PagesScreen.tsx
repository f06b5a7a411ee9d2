import { useQuery } from "@tanstack/react-query";
import { Button } from "antd";
import { useState } from "react";
import { Link, NavLink, useParams } from "react-router-dom";
import type { Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { asks, marked, pageSubject } from "../../state/asking";
import { useRights } from "../../state/rights";
import { useWorkbench } from "../../state/workbench";
import { Letter } from "../../ui/Letter";
import { Empty, Notice } from "../../ui/Notice";
import { Scroll } from "../../ui/Scroll";
import { useUnsaved } from "../../ui/unsaved";
import { roleEdits } from "../../ui/unsavedEdits";
import { useOpenFirst } from "../../ui/useOpenFirst";
import { NewPage, ShelfDialog } from "./NewOnShelf";
import { Openers } from "./Openers";
import { PageEditor } from "./PageEditor";
import { PageLook } from "./PageLook";
import { PagesGrid } from "./PagesGrid";
import { ReadersPages } from "./ReadersPages";
import { SentencesList } from "./SentencesList";
import { UnsavedRoles, useEditedRoles } from "./UnsavedRoles";
import "./pages.css";
import "../../ui/sentences/sentences.css";

export type PagesView = "page" | "edit" | "grid" | "sentences" | "readers";
type Dialog = { page: string | null } | { shelf: Schemas["ShelfEntry"] | null } | null;

/** Shelves and pages; a page as viewers see it, in the editor, who opens what, and every pages sentence. */
export default function PagesScreen({ view }: { view: PagesView }) {
  const { page: wanted, by = "people" } = useParams();
  const bench = useWorkbench();
  const { may } = useRights();
  const edits = useUnsaved(roleEdits);
  const { edited } = useEditedRoles(edits);
  const [dialog, setDialog] = useState<Dialog>(null);
  const pages = useQuery(queries.pages(bench.state));
  const shelves = pages.data?.shelves ?? [];
  const entries = shelves.flatMap((shelf) => shelf.pages);
  const first = entries[0]?.page.name;
  const single = view === "page" || view === "edit";
  useOpenFirst("/pages", first);
  const entry = entries.find((item) => item.page.name === wanted);
  const editable = bench.state === "draft";
  if (pages.isError) return <Notice kind="bad">{pages.error.message}</Notice>;
  const labels = new Map(entries.map((item) => [item.page.name, item.page.label ?? item.page.name]));
  return (
    <div className={`pages-screen as-${view}`}>
      <nav aria-label="Pages">
        <div className="row wrap small below-6">
          <NavLink to="/pages/grid/people">who opens what</NavLink>
          <NavLink to="/pages/all/sentences">sentences</NavLink>
          {may("pages") && <NavLink to="/pages/all/readers">made by readers</NavLink>}
        </div>
        {shelves.map((shelf) => (
          <div key={shelf.name}>
            <h2 className="as-h3 row">
              <span className="cut grow">{shelf.label}</span>
              {editable && (
                <button type="button" className="plain soft" aria-label={`Shelf ${shelf.label}`} onClick={() => setDialog({ shelf })}>
                  ⋯
                </button>
              )}
            </h2>
            {shelf.pages.map((item) => (
              <NavLink
                key={item.page.name}
                to={`/pages/${encodeURIComponent(item.page.name)}`}
                className={({ isActive }) => `side-line ${isActive ? "on" : ""}`}
                {...marked(pageSubject(item.page.name, item.page.label ?? item.page.name))}
              >
                <span className="cut">{item.page.label ?? item.page.name}</span>
                <span className="n" title="people who can open it">
                  {item.openers.length}
                </span>
              </NavLink>
            ))}
            {shelf.pages.length === 0 && <p className="soft small">empty</p>}
          </div>
        ))}
        {editable && (
          <p className="row wrap above-12">
            <button
              type="button"
              className="textlink"
              disabled={shelves.length === 0}
              onClick={() => setDialog({ page: entry?.page.shelf ?? null })}
            >
              + New page
            </button>
            <button type="button" className="textlink" onClick={() => setDialog({ shelf: null })}>
              + New shelf
            </button>
          </p>
        )}
      </nav>
      {view === "edit" && entry ? (
        editable ? (
          <PageEditor key={entry.page.name} entry={entry} shelves={shelves} />
        ) : (
          <div>
            <Notice kind="careful">
              Pages are written in the draft.{" "}
              <button type="button" className="textlink" onClick={() => bench.setState("draft")}>
                Back to the draft
              </button>
            </Notice>
          </div>
        )
      ) : (
        <Scroll label="Page" className="">
          <UnsavedRoles edits={edits} />
          {view === "grid" && (
            <>
              <h2 className="below-8">Who opens which page</h2>
              <PagesGrid by={by === "groups" || by === "roles" ? by : "people"} edits={edits} labels={labels} />
            </>
          )}
          {view === "sentences" && (
            <>
              <h2 className="below-8">Every pages sentence</h2>
              <SentencesList edits={edits} pages={entries.map((item) => item.page)} editable={editable} />
            </>
          )}
          {view === "readers" && (
            <>
              <h2 className="below-8">Pages made by readers</h2>
              <ReadersPages shelves={shelves} />
            </>
          )}
          {single && wanted && pages.data && !entry && (
            <Empty title={`There is no page ${wanted}`}>
              <p>Choose another on the left.</p>
            </Empty>
          )}
          {single && pages.data && entries.length === 0 && <FirstPage shelves={shelves.length} open={setDialog} editable={editable} />}
          {single && entry && (
            <>
              <PageHead entry={entry} editable={editable} />
              <PageLook key={entry.page.name} page={entry.page.name} edited={edited} />
            </>
          )}
        </Scroll>
      )}
      {view === "page" && <aside>{entry && <Openers key={entry.page.name} entry={entry} edits={edits} editable={editable} />}</aside>}
      {dialog && "page" in dialog && <NewPage shelves={shelves} shelf={dialog.page} close={() => setDialog(null)} />}
      {dialog && "shelf" in dialog && <ShelfDialog shelf={dialog.shelf} close={() => setDialog(null)} />}
    </div>
  );
}

function PageHead({ entry, editable }: { entry: Schemas["PageEntry"]; editable: boolean }) {
  const bench = useWorkbench();
  const pin = bench.pins[bench.focus - 1];
  const { page } = entry;
  return (
    <>
      <div className="row wrap below-4">
        <h2 {...asks(pageSubject(page.name, page.label ?? page.name), undefined, true)}>{page.label ?? page.name}</h2>
        {(page.tags ?? []).map((tag) => (
          <span key={tag} className="pill small">
            {tag}
          </span>
        ))}
        <span className="grow" />
        <span className="soft row">
          as <Letter place={bench.focus} little /> {pin ? pin.title : "all data"} {bench.state === "draft" ? "in the draft" : "live"}
        </span>
        {editable && (
          <Link to={`/pages/${encodeURIComponent(page.name)}/edit`}>
            <Button size="small">Edit the page</Button>
          </Link>
        )}
      </div>
      <p className="soft small below-8">
        {page.about} {page.owner && `Owner: ${page.owner}.`}
      </p>
    </>
  );
}

function FirstPage({ shelves, open, editable }: { shelves: number; open: (dialog: Dialog) => void; editable: boolean }) {
  return (
    <Empty title="No pages yet">
      <p>A page lies on a shelf and shows figures, charts and lists, to each reader within their own rules.</p>
      {editable && (
        <Button type="primary" onClick={() => open(shelves === 0 ? { shelf: null } : { page: null })}>
          {shelves === 0 ? "Make the first shelf" : "Make the first page"}
        </Button>
      )}
    </Empty>
  );
}
