import { type ComponentType, createElement, type ReactNode, use } from "react";

type Part = (props: never) => ReactNode;
/** A part of the screen that is fetched when it is first needed, and stands at once where it was fetched before. */
export type Deferred<P extends Part> = P & {
  /** Fetches it, if it is not there yet. */
  fetch: () => Promise<void>;
};

/** Unlike a lazy component it never shows what waits where there is nothing to wait for: that would stay for a moment. */
export function deferred<P extends Part>(load: () => Promise<P>): Deferred<P> {
  let found: P | undefined;
  let asked: Promise<void> | undefined;
  const fetch = () => {
    asked ??= load().then(
      (part) => {
        found = part;
      },
      (wrong: unknown) => {
        // It stands for a moment, so that whoever waits is told; a later try fetches it anew.
        window.setTimeout(() => {
          asked = undefined;
        }, 1000);
        throw wrong;
      },
    );
    return asked;
  };
  const part = (props: object) => {
    if (!found) use(fetch());
    return found ? createElement(found as unknown as ComponentType<object>, props) : null;
  };
  return Object.assign(part as unknown as P, { fetch });
}
