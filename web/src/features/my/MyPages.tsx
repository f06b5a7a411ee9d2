import { useQuery } from "@tanstack/react-query";
import { Button, Dropdown } from "antd";
import { lazy, Suspense, useState } from "react";
import { Link, NavLink, useMatch, useParams } from "react-router-dom";
import { nameInAddress, type Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { Brand } from "../../ui/Brand";
import { ChangePassword } from "../../ui/ChangePassword";
import { plural } from "../../ui/figures";
import { Empty, Notice } from "../../ui/Notice";
import { isOpen } from "../../ui/reviews/lines";
import { useLeavingAsks } from "../../ui/unsavedEdits";
import { useAccountMenu } from "../../ui/useAccountMenu";
import { useOpenFirst } from "../../ui/useOpenFirst";
import { useTitle } from "../../ui/useTitle";
import { MyPage } from "./MyPage";
import { NewOwnPage } from "./NewOwnPage";
import "./my.css";

const BrowseCube = lazy(() => import("./BrowseCube").then((module) => ({ default: module.BrowseCube })));
const MakePage = lazy(() => import("./MakePage").then((module) => ({ default: module.MakePage })));

/** What a viewer may open, as it really is for them, and the pages they make. No word about what is withheld. */
export default function MyPages({ session }: { session: Schemas["SessionAnswer"] }) {
  const editing = useMatch("/my/:page/edit") !== null;
  const { page: wanted, model, cube } = useParams();
  const [changing, setChanging] = useState(false);
  const [making, setMaking] = useState(false);
  const menu = useAccountMenu(session, () => setChanging(true));
  const mine = useQuery(queries.myPages());
  const models = useQuery(queries.myModels());
  const asked = useQuery(queries.ownReviews());
  const waiting = (asked.data?.reviews ?? []).flatMap((review) => review.lines).filter(isOpen).length;
  const own = mine.data?.own ?? [];
  const create = mine.data?.create ?? [];
  const cubes = (models.data?.models ?? []).flatMap((item) => item.cubes.map((one) => ({ model: item, cube: one })));
  const first = mine.data?.shelves[0]?.pages[0] ?? own[0];
  const nothing = mine.data && mine.data.shelves.length === 0 && own.length === 0;
  useLeavingAsks();
  useOpenFirst("/my", first?.name);
  const open = [...(mine.data?.shelves ?? []).flatMap((shelf) => shelf.pages), ...own].find((item) => item.name === wanted);
  useTitle(open?.label, "My pages", session.workspace);
  const line = (name: string, label: string, note?: string | null) => (
    <NavLink key={name} to={`/my/${encodeURIComponent(name)}`} className={({ isActive }) => `line ${isActive ? "on" : ""}`}>
      {label}
      {note && <span className="soft small"> {note}</span>}
    </NavLink>
  );
  return (
    <div className="my">
      <header>
        <Brand />
        <span className="soft cut">{session.workspace}</span>
        <span className="grow" />
        {(session.account?.acts.length ?? 0) > 0 && <Link to="/">Back to the workspace</Link>}
        {changing && <ChangePassword close={() => setChanging(false)} />}
        <Dropdown menu={menu} trigger={["click"]}>
          <Button aria-label={`Account ${session.account?.name ?? ""}`}>{session.account?.name}</Button>
        </Dropdown>
      </header>
      <nav aria-label="My pages">
        {mine.data?.shelves.map((shelf) => (
          <div key={shelf.name}>
            <h3>{shelf.label}</h3>
            {shelf.pages.map((item) => line(item.name, item.label, item.by && `by ${item.by}`))}
          </div>
        ))}
        {(own.length > 0 || create.length > 0) && (
          <div>
            <h3>Made by me</h3>
            {own.map((item) => line(item.name, item.label, item.changed ? "changed since published" : item.published ? "published" : null))}
            {create.length > 0 && (
              <Button size="small" className="above-6" onClick={() => setMaking(true)}>
                + page
              </Button>
            )}
          </div>
        )}
        {cubes.length > 0 && (
          <div>
            <h3>Cubes</h3>
            {cubes.map((item) => (
              <NavLink
                key={`${item.model.name}/${item.cube.name}`}
                to={`/my/cube/${nameInAddress(item.model.name)}/${nameInAddress(item.cube.name)}`}
                className={({ isActive }) => `line ${isActive ? "on" : ""}`}
              >
                {item.cube.label}
              </NavLink>
            ))}
          </div>
        )}
        {waiting > 0 && (
          <div>
            <h3>Asked of me</h3>
            <Link className="line" to="/me">
              {plural(waiting, "line")} of a review to answer
            </Link>
          </div>
        )}
        <div>
          <h3>From elsewhere</h3>
          <Link className="line" to="/me">
            Connect a program
          </Link>
        </div>
      </nav>
      <main className={editing ? "writing" : ""}>
        {mine.isError && <Notice kind="bad">{mine.error.message}</Notice>}
        {nothing && !wanted && !cube && (
          <>
            <h1 className="visually-hidden">My pages</h1>
            <Empty title="There are no pages for you yet">
              <p>
                {create.length > 0
                  ? "When a page is opened to you, it appears here. You can make pages of your own from what you see."
                  : "When a page is opened to you, it appears here."}
              </p>
              {create.length > 0 && (
                <Button type="primary" onClick={() => setMaking(true)}>
                  Make a page
                </Button>
              )}
            </Empty>
          </>
        )}
        {wanted && !editing && (
          <MyPage
            key={wanted}
            name={wanted}
            account={session.account?.login ?? ""}
            own={own.some((item) => item.name === wanted)}
            create={create}
          />
        )}
        <Suspense fallback={<p className="soft">Opening…</p>}>
          {wanted && editing && <MakePage key={wanted} name={wanted} />}
          {model && cube && models.data && <BrowseCube key={`${model}/${cube}`} models={models.data.models} model={model} cube={cube} />}
        </Suspense>
      </main>
      {making && <NewOwnPage shelves={create} close={() => setMaking(false)} />}
    </div>
  );
}
