import { Checkbox } from "antd";
import { useState } from "react";
import type { Schemas } from "../../api/client";

type Item = Schemas["CopyItem"];

const key = (item: Item) => `${item.kind}.${item.name}.${item.from ?? ""}`;

/** An attribute whose value is not told cannot be copied. */
const untold = (item: Item) => item.kind === "attribute" && (item.value === null || item.value === undefined);

/** What is taken of somebody's access: dated and sensitive access is left out unless it is chosen. */
export function useTaken(items: Item[]) {
  const [left, setLeft] = useState<Record<string, boolean>>({});
  const taken = (item: Item) => left[key(item)] ?? !(item.dated || item.sensitive);
  const chosen = items.filter((item) => taken(item) && !untold(item));
  return {
    chosen,
    taken,
    take: (item: Item, on: boolean) => setLeft({ ...left, [key(item)]: on }),
    reset: () => setLeft({}),
    groups: chosen.filter((item) => item.kind === "group").map((item) => item.name),
    attributes: Object.fromEntries(chosen.filter((item) => item.kind === "attribute").map((item) => [item.name, item.value ?? null])),
    roles: (reason: string) =>
      chosen.filter((item) => item.kind === "role").map((item) => ({ role: item.name, from: item.from, until: item.until, reason })),
  };
}

/** The list of what somebody has, to choose from. */
export function CopiedItems({ items, choice }: { items: Item[]; choice: ReturnType<typeof useTaken> }) {
  return items.map((item) => (
    <div key={key(item)} className="copy-item">
      <Checkbox checked={choice.taken(item)} disabled={untold(item)} onChange={(event) => choice.take(item, event.target.checked)}>
        <span className="soft">{item.kind}</span> <b>{item.label}</b> <span className="soft small">{item.detail}</span>
      </Checkbox>
      {(item.dated || item.sensitive) && (
        <div className="careful small">
          {item.dated && "dated access"}
          {item.dated && item.sensitive && "; "}
          {item.sensitive}
          {!choice.taken(item) && ": left out"}
        </div>
      )}
    </div>
  ));
}
