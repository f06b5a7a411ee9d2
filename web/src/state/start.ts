import type { Schemas, StateName } from "../api/client";
import { remembered } from "./remembered";

/** What an account kept on its own machine under a key of its own; `otherwise` where it kept nothing that can be read. */
export function kept<T>(login: string, key: string, otherwise: T): T {
  try {
    const text = remembered(`moorland.${login}.${key}`);
    return text ? (JSON.parse(text) as T) : otherwise;
  } catch {
    return otherwise;
  }
}

/** The model that is worked on: the one that was chosen, while it is there; else the first. */
export function modelOf(models: { name: string }[], chosen: string | null): string | null {
  return models.find((item) => item.name === chosen)?.name ?? models[0]?.name ?? null;
}

/** What is looked at first: the draft, but for those who know of it what is live only. */
export function firstState(account: Schemas["SignedIn"]): StateName {
  return account.everywhere.includes("look-shapes") || !account.acts.includes("look-shapes") ? "draft" : "live";
}
