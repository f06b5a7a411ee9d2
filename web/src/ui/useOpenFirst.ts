import { useEffect } from "react";
import { useLocation, useNavigate } from "react-router-dom";

const bare = (path: string) => path.replace(/\/$/, "");

/** Opens the first thing of a list where only the list is asked for; never where somebody has gone on meanwhile. */
export function useOpenFirst(base: string, first: string | undefined): void {
  const navigate = useNavigate();
  const { pathname } = useLocation();
  useEffect(() => {
    const here = bare(pathname) === base && bare(window.location.pathname) === base;
    if (here && first) navigate(`${base}/${encodeURIComponent(first)}`, { replace: true });
  }, [base, first, pathname, navigate]);
}
