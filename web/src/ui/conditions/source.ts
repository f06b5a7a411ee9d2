import { createContext, useContext } from "react";

/** Where conditions are checked and values come from: the workspace's models, or what exists for who is signed in. */
export type ConditionSource = "workspace" | "own";

export const ConditionSourceContext = createContext<ConditionSource>("workspace");

export function useConditionSource(): ConditionSource {
  return useContext(ConditionSourceContext);
}
