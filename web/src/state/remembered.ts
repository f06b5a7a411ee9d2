/** What a browser keeps for this machine: nothing that matters, and where it keeps nothing at all, this window still does. */
const here = new Map<string, string>();

export function remembered(key: string): string | null {
  try {
    return localStorage.getItem(key);
  } catch {
    return here.get(key) ?? null;
  }
}

/** Keeps a text under a key; null forgets it. */
export function remember(key: string, text: string | null): void {
  try {
    if (text === null) localStorage.removeItem(key);
    else localStorage.setItem(key, text);
  } catch {
    if (text === null) here.delete(key);
    else here.set(key, text);
  }
}
