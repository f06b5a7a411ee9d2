import { useQuery } from "@tanstack/react-query";
import { Button, Dropdown } from "antd";
import { useEffect } from "react";
import { Link, NavLink, useNavigate, useParams } from "react-router-dom";
import { api, data, type Schemas } from "../../api/client";
import { Brand, useAccountMenu } from "../../app/Shell";
import { Empty, Notice } from "../../ui/Notice";
import { PageView } from "../../ui/PageView";
import "./my.css";

/** What a viewer may open, as it really is for them. No word about what is withheld. */
export default function MyPages({ session }: { session: Schemas["SessionAnswer"] }) {
  const { page: wanted } = useParams();
  const navigate = useNavigate();
  const menu = useAccountMenu(session);
  const mine = useQuery({ queryKey: ["my", "pages"], queryFn: () => data(api.GET("/api/my/pages")) });
  const first = mine.data?.shelves[0]?.pages[0];
  useEffect(() => {
    if (!wanted && first) navigate(`/my/${encodeURIComponent(first.name)}`, { replace: true });
  }, [wanted, first, navigate]);
  const page = useQuery({
    queryKey: ["my", "page", wanted],
    queryFn: () => data(api.GET("/api/my/pages/{page}", { params: { path: { page: wanted ?? "" } } })),
    enabled: wanted !== undefined,
  });
  return (
    <div className="my">
      <header>
        <Brand />
        <span className="soft cut">{session.workspace}</span>
        <span className="grow" />
        {session.account?.administrator && <Link to="/roles">Back to the workspace</Link>}
        <Dropdown menu={menu} trigger={["click"]}>
          <Button aria-label={`Account ${session.account?.name ?? ""}`}>{session.account?.name}</Button>
        </Dropdown>
      </header>
      <nav aria-label="My pages">
        {mine.data?.shelves.map((shelf) => (
          <div key={shelf.name}>
            <h3>{shelf.label}</h3>
            {shelf.pages.map((item) => (
              <NavLink
                key={item.name}
                to={`/my/${encodeURIComponent(item.name)}`}
                className={({ isActive }) => `line ${isActive ? "on" : ""}`}
              >
                {item.label}
              </NavLink>
            ))}
          </div>
        ))}
      </nav>
      <main>
        {mine.isError && <Notice kind="bad">{mine.error.message}</Notice>}
        {mine.data?.shelves.length === 0 && (
          <Empty title="There are no pages for you yet">
            <p>When a page is opened to you, it appears here.</p>
          </Empty>
        )}
        {page.isError && <Notice kind="bad">{page.error.message}</Notice>}
        {page.data && (
          <>
            <h1>{page.data.label}</h1>
            <PageView page={page.data} />
          </>
        )}
      </main>
    </div>
  );
}
