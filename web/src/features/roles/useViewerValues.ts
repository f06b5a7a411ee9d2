import { useQuery } from "@tanstack/react-query";
import { queries } from "../../api/queries";
import type { Pin } from "../../state/workbench";

/** What a viewer attribute is for the pinned person, in words: "for Jo Ames: High Fells, Eastmoor". */
export function useViewerValues(pin: Pin | undefined): (name: string) => string | null {
  const login = typeof pin?.viewer === "string" ? pin.viewer : null;
  const card = useQuery({ ...queries.person(login ?? "", "draft"), enabled: login !== null, staleTime: 10_000 });
  return (name) => {
    const attribute = card.data?.attributes.find((item) => item.definition.name === name);
    if (!attribute || !pin) return null;
    if (attribute.conflict) return `for ${pin.title}: in conflict, counts as not set`;
    return `for ${pin.title}: ${attribute.values ? attribute.values.map(String).join(", ") : "not set"}`;
  };
}
