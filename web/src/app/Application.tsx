import { QueryClient, QueryClientProvider, useQuery } from "@tanstack/react-query";
import { type ReactNode, Suspense, useDeferredValue, useEffect, useState } from "react";
import { BrowserRouter, Navigate, Route, Routes } from "react-router-dom";
import { ApiError, onSignedOut } from "../api/client";
import { queries, useChanged } from "../api/queries";
import { useUnreached } from "../api/reaching";
import { ModeContext } from "../state/mode";
import { remember, remembered } from "../state/remembered";
import { SCREENS } from "../state/rights";
import { firstState, kept, modelOf } from "../state/start";
import { applyColours, type Mode } from "../state/theme";
import { Fallen } from "../ui/Fallen";
import { Notice } from "../ui/Notice";
import { Waiting } from "../ui/Waiting";
import { type Deferred, deferred } from "./deferred";
import { screens } from "./screens";

const Workspace = deferred(() => import("./Workspace").then((found) => found.default));
const { Dressed, SignIn, First, Welcome, EmbeddedPage, MeScreen, MyPages } = screens;
const client = new QueryClient({
  defaultOptions: {
    queries: {
      retry: (count, error) => count < 2 && error instanceof ApiError && error.status === 0,
      refetchOnWindowFocus: true,
      staleTime: 5_000,
    },
  },
});

/** The screen an address leads to, and what it asks for first, are fetched while the session is still asked for. */
const addressed: Partial<Record<string, { screen: Deferred<(props: never) => ReactNode>; asks: (() => void)[] }>> = {
  overview: { screen: screens.OverviewScreen, asks: [] },
  models: { screen: screens.ModelsScreen, asks: [] },
  people: { screen: screens.PeopleScreen, asks: [() => void client.prefetchQuery(queries.people())] },
  roles: { screen: screens.RolesScreen, asks: [() => void client.prefetchQuery(queries.roles())] },
  viewers: { screen: screens.ViewersScreen, asks: [] },
  pages: { screen: screens.PagesScreen, asks: [] },
  checks: { screen: screens.ChecksScreen, asks: [] },
  my: { screen: screens.MyPages, asks: [] },
  embed: { screen: screens.EmbeddedPage, asks: [] },
};
const wanted = addressed[window.location.pathname.split("/")[1] ?? ""];
/** Whoever was signed in last time most likely is: what they need is fetched at once. Kept is whether they had a duty. */
const WAS_IN = "moorland.in";
const IN = { keeper: "yes", reader: "reader" } as const;
/** A page in a frame of another application: no session is looked at, and nothing is kept in the browser. */
const framed = window.location.pathname.startsWith("/embed/");
const was = framed ? null : remembered(WAS_IN);
const wasIn = was !== null;
const wasKeeper = was === IN.keeper;
/** What is there before anything is shown: it would else come in pieces, each a moment later. */
const starting = Promise.allSettled([
  ...(wasIn || framed ? [Dressed.fetch()] : []),
  ...(wasKeeper ? [Workspace.fetch()] : wasIn || framed ? [] : [SignIn.fetch()]),
  ...(wanted && (wasIn || framed) ? [wanted.screen.fetch()] : []),
]);
if (wasIn) {
  const session = client.fetchQuery(queries.session());
  const workspace = wasKeeper ? client.fetchQuery(queries.state()) : null;
  if (wasKeeper) for (const ask of wanted?.asks ?? []) ask();
  // Nearly every screen reads the model that is worked on: it is asked for as soon as it is known which that is.
  void Promise.all([session, workspace]).then(
    ([{ account }, space]) => {
      const model = account && space && modelOf(space.models, kept<string | null>(account.login, "model", null));
      if (account && model) void client.prefetchQuery(queries.model(model, firstState(account)));
      // What went wrong is told by the screens, which ask the same.
    },
    () => undefined,
  );
}

/** Said while the server cannot be reached; what is on screen stays. */
function Unreached() {
  if (!useUnreached()) return null;
  return (
    <div className="unreached" role="alert">
      The server does not answer. What is shown is from before; it is asked again every few seconds.
    </div>
  );
}

function Screens() {
  const changed = useChanged();
  const session = useQuery(queries.session());
  useEffect(() => onSignedOut(() => void changed()), [changed]);
  const inside = session.data?.account != null;
  const keeper = (session.data?.account?.acts.length ?? 0) > 0;
  useEffect(() => {
    if (session.data) remember(WAS_IN, !inside ? null : keeper ? IN.keeper : IN.reader);
  }, [session.data, inside, keeper]);
  // While somebody signs in, what they need next is fetched.
  const outside = session.data !== undefined && !inside;
  useEffect(() => {
    if (!outside) return;
    const later = window.setTimeout(() => void Promise.allSettled([Dressed.fetch(), Workspace.fetch()]), 1500);
    return () => window.clearTimeout(later);
  }, [outside]);
  const [started, setStarted] = useState(false);
  useEffect(() => void starting.then(() => setStarted(true)), []);
  // Whole screens are made in small steps, so that the browser stays free for what is pressed meanwhile.
  const shown = useDeferredValue(started ? session.data : undefined);
  if (session.isError) return <Notice kind="bad">{session.error.message}</Notice>;
  if (!shown) return <Waiting whole />;
  const { account } = shown;
  const waiting = <Waiting />;
  const alone = (screen: ReactNode) => <Suspense fallback={<Waiting whole />}>{screen}</Suspense>;
  const within = (screen: ReactNode) => alone(<Dressed>{screen}</Dressed>);
  if (!account && window.location.pathname === "/welcome") return within(<Welcome session={shown} />);
  if (!account) return alone(<SignIn session={shown} />);
  const mine = (
    <Suspense fallback={waiting}>
      <MyPages session={shown} />
    </Suspense>
  );
  if (shown.first) return within(<First session={shown} />);
  const me = (
    <Suspense fallback={waiting}>
      <MeScreen session={shown} />
    </Suspense>
  );
  const open = SCREENS.find((screen) => screen.acts.some((act) => account.acts.includes(act)));
  if (!open) {
    return within(
      <Routes>
        <Route path="/my/:page?" element={mine} />
        <Route path="/my/:page/edit" element={mine} />
        <Route path="/my/cube/:model/:cube" element={mine} />
        <Route path="/me" element={me} />
        <Route path="*" element={<Navigate to="/my" replace />} />
      </Routes>,
    );
  }
  return within(<Workspace session={shown} account={account} open={open.path} mine={mine} me={me} />);
}

function storedMode(): Mode {
  return !framed && remembered("moorland.mode") === "dark" ? "dark" : "light";
}

export function Application() {
  const [mode, setMode] = useState<Mode>(storedMode);
  useEffect(() => {
    applyColours(mode);
    if (!framed) remember("moorland.mode", mode);
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
      <QueryClientProvider client={client}>
        <BrowserRouter>
          {framed ? (
            <Suspense fallback={<Waiting />}>
              <Dressed>
                <EmbeddedPage />
              </Dressed>
            </Suspense>
          ) : (
            <Fallen at="all of it">
              <Screens />
              <Unreached />
            </Fallen>
          )}
        </BrowserRouter>
      </QueryClientProvider>
    </ModeContext>
  );
}
