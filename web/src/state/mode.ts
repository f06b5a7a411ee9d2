import { createContext, useContext } from "react";
import type { Mode } from "./theme";

export const ModeContext = createContext<{ mode: Mode; setMode: (mode: Mode) => void }>({ mode: "light", setMode: () => undefined });

export function useMode() {
  return useContext(ModeContext);
}
