import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { queries } from "../../api/queries";
import { usePeople, useRoles } from "../../state/directory";
import type { Subject } from "../conditions/clauses";

/** What conditions on pages and on people can be about, with the names to choose from. */
export function useSubjects(): { page: Subject[]; viewer: Subject[] } {
  const people = usePeople();
  const roles = useRoles();
  const pages = useQuery(queries.pages("draft"));
  return useMemo(() => {
    const named = (items: { name: string; label: string }[]) =>
      items.map(({ name, label }) => ({ value: name, label: label === name ? name : `${label} · ${name}` }));
    const shelves = pages.data?.shelves ?? [];
    const all = shelves.flatMap((shelf) => shelf.pages.map((entry) => entry.page));
    const logins = (people.data?.people ?? []).map((person) => ({ value: person.login, label: `${person.name} · ${person.login}` }));
    const tags = [...new Set(all.flatMap((page) => page.tags ?? []))].sort().map((tag) => ({ value: tag, label: tag }));
    const organizations = named((people.data?.organizations ?? []).map((item) => ({ name: item.name, label: item.label ?? item.name })));
    const groups = named(people.data?.groups ?? []);
    const held = named((roles.data?.roles ?? []).map(({ role }) => ({ name: role.name, label: role.label ?? role.name })));
    const text = { type: "text", many: false };
    const set = { type: "text", many: true };
    const page: Subject[] = [
      { ...set, table: "page", column: "tags", label: "the page’s tags", values: tags },
      {
        ...text,
        table: "page",
        column: "name",
        label: "the page’s name",
        values: named(all.map((item) => ({ name: item.name, label: item.label ?? item.name }))),
      },
      { ...text, table: "page", column: "shelf", label: "the page’s shelf", values: named(shelves) },
      { ...text, table: "page", column: "owner", label: "the page’s owner", values: logins },
    ];
    const viewer: Subject[] = [
      ...(people.data?.attributes ?? []).map((item) => ({
        table: "viewer",
        column: item.name,
        type: item.type,
        many: item.multiple ?? false,
        label: `the viewer’s ${item.name}`,
        values: item.allowed ? item.allowed.map((value) => ({ value: value as string, label: String(value) })) : undefined,
      })),
      { ...set, table: "viewer", column: "groups", label: "the viewer’s groups", values: groups },
      { ...text, table: "viewer", column: "organization", label: "the viewer’s organization", values: organizations },
      { ...set, table: "viewer", column: "organizations", label: "the viewer’s organizations, all above", values: organizations },
      { ...text, table: "viewer", column: "login", label: "the viewer’s login", values: logins },
      { ...text, table: "viewer", column: "mail_domain", label: "the viewer’s mail domain" },
    ];
    return { page: [...page, ...viewer, { ...set, table: "viewer", column: "roles", label: "the viewer’s roles", values: held }], viewer };
  }, [people.data, roles.data, pages.data]);
}
