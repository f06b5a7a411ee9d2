import { useLocation } from "react-router-dom";
import { SCREENS } from "../state/rights";
import { useTitle } from "../ui/useTitle";

/** Screens that are reached from others. */
const WITHIN: Record<string, string> = { combine: "Combine roles", statement: "Statement" };

/** The screen's name, for the browser's tab and for whoever listens: told when another screen opens. */
export function ScreenTitle({ workspace }: { workspace: string }) {
  const [, path = ""] = useLocation().pathname.split("/");
  const label = SCREENS.find((screen) => screen.path === path)?.label ?? WITHIN[path] ?? "";
  useTitle(label, workspace);
  return (
    <h1 className="visually-hidden" aria-live="polite">
      {label}
    </h1>
  );
}
