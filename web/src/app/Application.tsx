import { QueryClient, QueryClientProvider, useQuery } from "@tanstack/react-query";
import { App as AntApp, ConfigProvider, Spin } from "antd";
import { lazy, Suspense, useEffect, useMemo, useState } from "react";
import { BrowserRouter, Navigate, Route, Routes } from "react-router-dom";
import { ApiError, onSignedOut } from "../api/client";
import { queries, useChanged } from "../api/queries";
import { First } from "../features/session/First";
import { SignIn } from "../features/session/SignIn";
import { Welcome } from "../features/session/Welcome";
import { AskingProvider } from "../state/asking";
import { ModeContext } from "../state/mode";
import { SCREENS } from "../state/rights";
import { antDesign, applyColours, type Mode } from "../state/theme";
import { WorkbenchProvider } from "../state/workbench";
import { Notice } from "../ui/Notice";
import { Shell } from "./Shell";

const screens = {
  BringScreen: () => import("../features/bring/BringScreen"),
  OverviewScreen: () => import("../features/overview/OverviewScreen"),
  ModelsScreen: () => import("../features/models/ModelsScreen"),
  RolesScreen: () => import("../features/roles/RolesScreen"),
  CombineScreen: () => import("../features/roles/CombineScreen"),
  ViewersScreen: () => import("../features/viewers/ViewersScreen"),
  StatementScreen: () => import("../features/statement/StatementScreen"),
  ReachScreen: () => import("../features/reach/ReachScreen"),
  PeopleScreen: () => import("../features/people/PeopleScreen"),
  PagesScreen: () => import("../features/pages/PagesScreen"),
  ChecksScreen: () => import("../features/checks/ChecksScreen"),
  ReleasesScreen: () => import("../features/releases/ReleasesScreen"),
  TrailScreen: () => import("../features/trail/TrailScreen"),
  SettingsScreen: () => import("../features/settings/SettingsScreen"),
  MeScreen: () => import("../features/me/MeScreen"),
  MyPages: () => import("../features/my/MyPages"),
  EmbeddedPage: () => import("../features/outside/EmbeddedPage"),
};
const EmbeddedPage = lazy(screens.EmbeddedPage);
const BringScreen = lazy(screens.BringScreen);
const OverviewScreen = lazy(screens.OverviewScreen);
const ModelsScreen = lazy(screens.ModelsScreen);
const RolesScreen = lazy(screens.RolesScreen);
const CombineScreen = lazy(screens.CombineScreen);
const ViewersScreen = lazy(screens.ViewersScreen);
const StatementScreen = lazy(screens.StatementScreen);
const ReachScreen = lazy(screens.ReachScreen);
const PeopleScreen = lazy(screens.PeopleScreen);
const PagesScreen = lazy(screens.PagesScreen);
const ChecksScreen = lazy(screens.ChecksScreen);
const ReleasesScreen = lazy(screens.ReleasesScreen);
const TrailScreen = lazy(screens.TrailScreen);
const SettingsScreen = lazy(screens.SettingsScreen);
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

function Screens() {
  const changed = useChanged();
  const session = useQuery(queries.session());
  useEffect(() => onSignedOut(() => void changed()), [changed]);
  if (session.isPending) return <Spin fullscreen />;
  if (session.isError) return <Notice kind="bad">{session.error.message}</Notice>;
  const { account } = session.data;
  const waiting = (
    <div className="pad">
      <Spin />
    </div>
  );
  if (!account && window.location.pathname === "/welcome") return <Welcome session={session.data} />;
  if (!account) return <SignIn session={session.data} />;
  const mine = (
    <Suspense fallback={waiting}>
      <MyPages session={session.data} />
    </Suspense>
  );
  if (session.data.first) return <First session={session.data} />;
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
    <WorkbenchProvider
      account={account.login}
      first={account.everywhere.includes("look-shapes") || !account.acts.includes("look-shapes") ? "draft" : "live"}
    >
      <AskingProvider>
        <Routes>
          <Route path="/my/:page?" element={mine} />
          <Route path="/my/:page/edit" element={mine} />
          <Route path="/my/cube/:model/:cube" element={mine} />
          <Route path="/me" element={me} />
          <Route element={<Shell session={session.data} />}>
            <Route path="/overview" element={<OverviewScreen session={session.data} />} />
            <Route path="/models/bring" element={<BringScreen />} />
            <Route path="/models/:view?/:name?" element={<ModelsScreen />} />
            <Route path="/roles/:role?" element={<RolesScreen />} />
            <Route path="/combine" element={<CombineScreen />} />
            <Route path="/viewers" element={<ViewersScreen />} />
            <Route path="/reach" element={<ReachScreen />} />
            <Route path="/statement/:of/:name/:table?" element={<StatementScreen />} />
            <Route path="/people/:login?" element={<PeopleScreen />} />
            <Route path="/pages/grid/:by" element={<PagesScreen view="grid" />} />
            <Route path="/pages/all/sentences" element={<PagesScreen view="sentences" />} />
            <Route path="/pages/all/readers" element={<PagesScreen view="readers" />} />
            <Route path="/pages/:page/edit" element={<PagesScreen view="edit" />} />
            <Route path="/pages/:page?" element={<PagesScreen view="page" />} />
            <Route path="/checks/:view?" element={<ChecksScreen session={session.data} />} />
            <Route path="/releases" element={<ReleasesScreen />} />
            <Route path="/trail" element={<TrailScreen />} />
            <Route path="/settings/:view?" element={<SettingsScreen />} />
          </Route>
          <Route path="*" element={<Navigate to={`/${open.path}`} replace />} />
        </Routes>
      </AskingProvider>
    </WorkbenchProvider>
  );
}

/** A page in a frame of another application: no session is looked at, and nothing is kept in the browser. */
const framed = window.location.pathname.startsWith("/embed/");

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
                <Screens />
              )}
            </BrowserRouter>
          </QueryClientProvider>
        </AntApp>
      </ConfigProvider>
    </ModeContext>
  );
}
