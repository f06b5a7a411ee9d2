import { deferred } from "./deferred";
import { stylesOfParts } from "./stylesOfParts";

/** Every screen, fetched when it is first needed. */
export const screens = {
  Dressed: deferred(() => Promise.all([import("./Dressed"), stylesOfParts()]).then(([found]) => found.default)),
  SignIn: deferred(() => import("../features/session/SignIn").then((found) => found.SignIn)),
  First: deferred(() => import("../features/session/First").then((found) => found.First)),
  Welcome: deferred(() => import("../features/session/Welcome").then((found) => found.Welcome)),
  BringScreen: deferred(() => import("../features/bring/BringScreen").then((found) => found.default)),
  OverviewScreen: deferred(() => import("../features/overview/OverviewScreen").then((found) => found.default)),
  ModelsScreen: deferred(() => import("../features/models/ModelsScreen").then((found) => found.default)),
  RolesScreen: deferred(() => import("../features/roles/RolesScreen").then((found) => found.default)),
  CombineScreen: deferred(() => import("../features/roles/CombineScreen").then((found) => found.default)),
  ViewersScreen: deferred(() => import("../features/viewers/ViewersScreen").then((found) => found.default)),
  StatementScreen: deferred(() => import("../features/statement/StatementScreen").then((found) => found.default)),
  ReachScreen: deferred(() => import("../features/reach/ReachScreen").then((found) => found.default)),
  PeopleScreen: deferred(() => import("../features/people/PeopleScreen").then((found) => found.default)),
  PagesScreen: deferred(() => import("../features/pages/PagesScreen").then((found) => found.default)),
  ChecksScreen: deferred(() => import("../features/checks/ChecksScreen").then((found) => found.default)),
  ReleasesScreen: deferred(() => import("../features/releases/ReleasesScreen").then((found) => found.default)),
  TrailScreen: deferred(() => import("../features/trail/TrailScreen").then((found) => found.default)),
  SettingsScreen: deferred(() => import("../features/settings/SettingsScreen").then((found) => found.default)),
  MeScreen: deferred(() => import("../features/me/MeScreen").then((found) => found.default)),
  MyPages: deferred(() => import("../features/my/MyPages").then((found) => found.default)),
  EmbeddedPage: deferred(() => import("../features/outside/EmbeddedPage").then((found) => found.default)),
};
