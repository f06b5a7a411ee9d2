import { type ReactNode, useEffect } from "react";
import { Navigate, Route, Routes } from "react-router-dom";
import type { Schemas } from "../api/client";
import { AskingProvider } from "../state/asking";
import { firstState } from "../state/start";
import { WorkbenchProvider } from "../state/workbench";
import { quiet } from "./quiet";
import { Shell } from "./Shell";
import { screens } from "./screens";

const {
  BringScreen,
  OverviewScreen,
  ModelsScreen,
  RolesScreen,
  CombineScreen,
  ViewersScreen,
  StatementScreen,
  ReachScreen,
  PeopleScreen,
  PagesScreen,
  ChecksScreen,
  ReleasesScreen,
  TrailScreen,
  SettingsScreen,
} = screens;
/** When the first screen has long been there, the others are fetched in pauses one after another, so that each opens at once. */
const FIRST_MS = 2500;
const PAUSE_MS = 200;

/** The screens of whoever has a duty, within the shell; their own pages and account beside it, so that nothing unsaved is lost by going there. */
export default function Workspace({
  session,
  account,
  open,
  mine,
  me,
}: {
  session: Schemas["SessionAnswer"];
  account: Schemas["SignedIn"];
  open: string;
  mine: ReactNode;
  me: ReactNode;
}) {
  useEffect(() => {
    let going = true;
    const fetched = async () => {
      await quiet(FIRST_MS);
      for (const screen of Object.values(screens)) {
        await quiet(PAUSE_MS);
        if (!going) return;
        // One that cannot be fetched now is fetched when it is opened, and says then what is wrong.
        await screen.fetch().catch(() => undefined);
      }
    };
    void fetched();
    return () => {
      going = false;
    };
  }, []);
  return (
    <WorkbenchProvider account={account.login} first={firstState(account)}>
      <AskingProvider>
        <Routes>
          <Route path="/my/:page?" element={mine} />
          <Route path="/my/:page/edit" element={mine} />
          <Route path="/my/cube/:model/:cube" element={mine} />
          <Route path="/me" element={me} />
          <Route element={<Shell session={session} />}>
            <Route path="/overview" element={<OverviewScreen session={session} />} />
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
            <Route path="/checks/:view?" element={<ChecksScreen session={session} />} />
            <Route path="/releases" element={<ReleasesScreen />} />
            <Route path="/trail" element={<TrailScreen />} />
            <Route path="/settings/:view?" element={<SettingsScreen />} />
          </Route>
          <Route path="*" element={<Navigate to={`/${open}`} replace />} />
        </Routes>
      </AskingProvider>
    </WorkbenchProvider>
  );
}
