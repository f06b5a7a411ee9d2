import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { queries } from "../api/queries";
import type { Pin } from "./workbench";

/** Everybody, with the roles each holds; the list is there before the roles are worked out. */
export function usePeople(wanted = true) {
  const people = useQuery({ ...queries.people(), enabled: wanted });
  const held = useQuery({ ...queries.held(), enabled: wanted && people.data !== undefined });
  const merged = useMemo(
    () =>
      people.data && {
        ...people.data,
        labels: held.data?.labels ?? {},
        held: held.data !== undefined,
        people: people.data.people.map((person) => ({ ...person, roles: held.data?.held[person.login] ?? [] })),
      },
    [people.data, held.data],
  );
  return { data: merged, isError: people.isError, error: people.error };
}

export type PeopleData = NonNullable<ReturnType<typeof usePeople>["data"]>;

/** Those of some pinned viewers whose person is not there any more. */
export function useGone(pins: Pin[]): Pin[] {
  const people = useQuery({ ...queries.people(), enabled: pins.some((pin) => typeof pin.viewer === "string") });
  return useMemo(() => {
    const there = people.data && new Set(people.data.people.map((person) => person.login));
    return there ? pins.filter((pin) => typeof pin.viewer === "string" && !there.has(pin.viewer)) : [];
  }, [people.data, pins]);
}

/** All roles of the draft, with how many hold each, and assignments. */
export function useRoles(wanted = true) {
  return useQuery({ ...queries.roles(), enabled: wanted });
}

/** A group or an organization with all that is kept of it. */
export function usePlace(kind: "group" | "organization", name: string | null) {
  const wanted = name !== null;
  const group = useQuery({ ...queries.group(name ?? ""), enabled: wanted && kind === "group" });
  const organization = useQuery({ ...queries.organization(name ?? ""), enabled: wanted && kind === "organization" });
  return kind === "group" ? group : organization;
}

/** The names, functions and kinds of mask of the language; empty until they are there. */
export function useVocabulary(wanted = true) {
  const found = useQuery({ ...queries.vocabulary(), enabled: wanted });
  return found.data ?? { viewer: [], functions: [], aggregates: [], masks: [] };
}
