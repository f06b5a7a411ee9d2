import type { Group, Sentence } from "../../api/client";
import { GroupWords, Value } from "../conditions/ClauseWords";

/** A rows sentence in plain words; as text while it cannot be read. */
export function RowsWords({ table, where, group }: { table: string; where: string; group: Group | null }) {
  return (
    <span>
      <span className="obj">{table}</span> <span className="kw">where</span>{" "}
      {group && (group.parts ?? []).length > 0 ? <GroupWords group={group} own={table} /> : <code>{where || "…"}</code>}
    </span>
  );
}

function named(name: string): string {
  const [kind, ...rest] = name.split(":");
  return `${kind} ${rest.join(":")}`;
}

export function ObjectsWords({ sentence }: { sentence: NonNullable<Sentence["objects"]> }) {
  const hide = sentence.hide ?? [];
  const show = sentence.show ?? [];
  return (
    <span>
      Everything is <span className="kw">{sentence.default === "hidden" ? "hidden" : "visible"}</span>
      {show.length > 0 && (
        <>
          , <span className="kw">shown</span>: {show.map(named).join(", ")}
        </>
      )}
      {hide.length > 0 && (
        <>
          , <span className="kw">hidden</span>: {hide.map(named).join(", ")}
        </>
      )}
    </span>
  );
}

export function PagesWords({ sentence, limit }: { sentence: NonNullable<Sentence["pages"]>; limit: boolean }) {
  const actions = sentence.actions.map((action) => (limit ? `not ${action}` : action)).join(", ");
  return (
    <span>
      May <span className="kw">{actions}</span>{" "}
      {sentence.on ? (
        sentence.on.length > 0 ? (
          sentence.on.map((target) => <Value key={target}>{named(target)}</Value>)
        ) : (
          <span className="obj">no page</span>
        )
      ) : (
        <span className="obj">any page</span>
      )}
      {sentence.where && (
        <>
          {" "}
          <span className="kw">where</span> <code>{sentence.where}</code>
        </>
      )}
    </span>
  );
}
