import { QueryClient, QueryClientProvider, useQuery } from "@tanstack/react-query";
import { App as AntApp, ConfigProvider, Spin } from "antd";
import { lazy, type ReactNode, Suspense, useEffect, useMemo, useState } from "react";
import { BrowserRouter, Navigate, Route, Routes } from "react-router-dom";
import { ApiError, onSignedOut } from "../api/client";
import { queries, useChanged } from "../api/queries";
import { ModeContext } from "../state/mode";
import { SCREENS } from "../state/rights";
import { antDesign, applyColours, type Mode } from "../state/theme";
import { Fallen } from "../ui/Fallen";
import { Notice } from "../ui/Notice";
import { screens } from "./screens";

const workspace = () => import("./Workspace");
const Workspace = lazy(workspace);
const SignIn = lazy(screens.SignIn);
const First = lazy(screens.First);
const Welcome = lazy(screens.Welcome);
const EmbeddedPage = lazy(screens.EmbeddedPage);
const MeScreen = lazy(screens.MeScreen);
const MyPages = lazy(screens.MyPages);

/** The screen an address leads to is fetched while the session is still asked for. */
const addressed = {
  overview: screens.OverviewScreen,
  models: screens.ModelsScreen,
  people: screens.PeopleScreen,
  roles: screens.RolesScreen,
  viewers: screens.ViewersScreen,
  my: screens.MyPages,
  embed: screens.EmbeddedPage,
};
void addressed[window.location.pathname.split("/")[1] as keyof typeof addressed]?.();
/** Whoever was signed in last time most likely is: what they need is fetched at once. */
const WAS_IN = "moorland.in";
/** A page in a frame of another application: no session is looked at, and nothing is kept in the browser. */
const framed = window.location.pathname.startsWith("/embed/");
if (!framed && localStorage.getItem(WAS_IN)) void workspace();
else if (!framed) void screens.SignIn();

function Screens() {
  const changed = useChanged();
  const session = useQuery(queries.session());
  useEffect(() => onSignedOut(() => void changed()), [changed]);
  const inside = session.data?.account != null;
  useEffect(() => {
    if (session.data) inside ? localStorage.setItem(WAS_IN, "yes") : localStorage.removeItem(WAS_IN);
  }, [session.data, inside]);
  if (session.isPending) return <Spin fullscreen />;
  if (session.isError) return <Notice kind="bad">{session.error.message}</Notice>;
  const { account } = session.data;
  const waiting = (
    <div className="pad">
      <Spin />
    </div>
  );
  const alone = (screen: ReactNode) => <Suspense fallback={<Spin fullscreen />}>{screen}</Suspense>;
  if (!account && window.location.pathname === "/welcome") return alone(<Welcome session={session.data} />);
  if (!account) return alone(<SignIn session={session.data} />);
  const mine = (
    <Suspense fallback={waiting}>
      <MyPages session={session.data} />
    </Suspense>
  );
  if (session.data.first) return alone(<First session={session.data} />);
  const me = (
    <Suspense fallback={waiting}>
      <MeScreen session={session.data} />
    </Suspense>
  );
  const open = SCREENS.find((screen) => screen.acts.some((act) => account.acts.includes(act)));
  if (!open) {
    return (
      <Routes>
        <Route path="/my/:page?" element={mine} />
        <Route path="/my/:page/edit" element={mine} />
        <Route path="/my/cube/:model/:cube" element={mine} />
        <Route path="/me" element={me} />
        <Route path="*" element={<Navigate to="/my" replace />} />
      </Routes>
    );
  }
  return (
    <Suspense fallback={<Spin fullscreen />}>
      <Workspace session={session.data} account={account} open={open.path} mine={mine} me={me} />
    </Suspense>
  );
}

function storedMode(): Mode {
  return !framed && localStorage.getItem("moorland.mode") === "dark" ? "dark" : "light";
}

export function Application() {
  const [mode, setMode] = useState<Mode>(storedMode);
  const client = useMemo(
    () =>
      new QueryClient({
        defaultOptions: {
          queries: {
            retry: (count, error) => count < 2 && error instanceof ApiError && error.status === 0,
            refetchOnWindowFocus: true,
            staleTime: 5_000,
          },
        },
      }),
    [],
  );
  useEffect(() => {
    applyColours(mode);
    if (!framed) localStorage.setItem("moorland.mode", mode);
  }, [mode]);
  // Chosen in one tab, it is so in all of them.
  useEffect(() => {
    if (framed) return;
    const follow = (event: StorageEvent) => event.key === "moorland.mode" && setMode(event.newValue === "dark" ? "dark" : "light");
    window.addEventListener("storage", follow);
    return () => window.removeEventListener("storage", follow);
  }, []);
  applyColours(mode);
  return (
    <ModeContext value={{ mode, setMode }}>
      <ConfigProvider theme={antDesign(mode)}>
        <AntApp component={false}>
          <QueryClientProvider client={client}>
            <BrowserRouter>
              {framed ? (
                <Suspense fallback={<Spin />}>
                  <EmbeddedPage />
                </Suspense>
              ) : (
                <Fallen at="all of it">
                  <Screens />
                </Fallen>
              )}
            </BrowserRouter>
          </QueryClientProvider>
        </AntApp>
      </ConfigProvider>
    </ModeContext>
  );
}
