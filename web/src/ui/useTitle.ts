import { useEffect } from "react";

/** What the browser's tab says: what is open, then where. Nothing is said of what is not known yet. */
export function useTitle(...parts: (string | undefined)[]) {
  const title = [...parts, "Moorland"].filter(Boolean).join(" · ");
  useEffect(() => {
    document.title = title;
  }, [title]);
}
