import type { ReactNode } from "react";
import type { Sentence } from "../../api/client";
import { inTotals, shownAs } from "./masks";

type Of<Kind extends keyof Sentence> = NonNullable<Sentence[Kind]>;

function Key({ children }: { children: ReactNode }) {
  return <span className="kw">{children}</span>;
}

function Column({ children }: { children: string }) {
  return <span className="obj">{children}</span>;
}

function Where({ children }: { children: string }) {
  return (
    <>
      {" "}
      <Key>where</Key> <code>{children}</code>
    </>
  );
}

function EntitlementWords({ sentence }: { sentence: Of<"entitlement"> }) {
  const who = typeof sentence.person_is === "string" ? sentence.person_is : sentence.person_is.attribute;
  const pairs = Object.entries(sentence.match);
  return (
    <>
      <Column>{sentence.table}</Column> <Key>as</Key> <Column>{sentence.through}</Column> lists it for the viewer, whose <Key>{who}</Key>{" "}
      stands in <Column>{sentence.person}</Column>
      {sentence.where && <Where>{sentence.where}</Where>}
      {pairs.map(([column, target], index) => (
        <span key={column}>
          {index === 0 ? "; " : " and "}
          <Column>{column}</Column> {typeof target === "string" ? <>is {target}</> : <>lies from {target.between.join(" to ")}</>}
        </span>
      ))}
      {sentence.separator && (
        <>
          ; cells may be lists with “<code>{sentence.separator}</code>”
        </>
      )}
      {sentence.everything === "blank" && <>; a blank cell opens everything</>}
      {sentence.everything && sentence.everything !== "blank" && <>; the word {sentence.everything.text} opens everything</>}
      {!sentence.everything && <>; a blank cell opens nothing</>}
    </>
  );
}

function MembersWords({ sentence }: { sentence: Of<"members"> }) {
  const entries = sentence.list ?? [];
  return (
    <>
      <Key>members</Key> of <Column>{sentence.hierarchy}</Column>:{" "}
      {entries.map((entry, index) => (
        <span key={JSON.stringify(entry)}>
          {index > 0 && ", "}
          <span className="val">
            {entry.see ? "see" : "not"}{" "}
            {entry.path.map((item) => (typeof item === "object" ? `the viewer’s ${item.viewer}` : String(item))).join(" › ")}
          </span>
        </span>
      ))}
      {entries.length > 0 && "; "}
      unlisted ones are <Key>{sentence.unlisted ?? "hidden"}</Key>; totals are <Key>{sentence.totals ?? "own"}</Key>
    </>
  );
}

function MaskWords({ sentence }: { sentence: Of<"mask"> }) {
  return (
    <>
      <Column>{sentence.column}</Column> <Key>masked</Key>: {shownAs(sentence.with)}
      {sentence.when && <Where>{sentence.when}</Where>}; {inTotals(sentence.in_totals)}
    </>
  );
}

function BeneathWords({ sentence }: { sentence: Of<"beneath"> }) {
  const tables = sentence.tables.join(", ");
  if (sentence.rows === false) {
    return (
      <>
        Rows of <Column>{tables}</Column> are <Key>not listed</Key> beneath numbers
      </>
    );
  }
  return (
    <>
      Rows of <Column>{tables}</Column> <Key>beneath</Key> numbers
      {sentence.limit !== null && sentence.limit !== undefined && <>: at most {sentence.limit.toLocaleString()}</>}
      {sentence.only_under !== null && sentence.only_under !== undefined && (
        <>, where no more than {sentence.only_under.toLocaleString()} match</>
      )}
      {sentence.export ? ", with export" : ", no export"}
    </>
  );
}

function ChangeWords({ sentence }: { sentence: Of<"change"> }) {
  const kinds = (["insert", "update", "delete"] as const).filter((kind) => sentence[kind]);
  return (
    <>
      <Key>Changes</Key> of <Column>{sentence.table}</Column>: {kinds.length === 0 && "none"}
      {kinds.map((kind, index) => (
        <span key={kind}>
          {index > 0 && "; "}
          <Key>{kind}</Key> where <code>{sentence[kind]}</code>
        </span>
      ))}
    </>
  );
}

/** Sentences this version cannot edit yet, in plain words all the same. */
export function OtherWords({ sentence }: { sentence: Sentence }) {
  return (
    <span>
      {sentence.entitlement && <EntitlementWords sentence={sentence.entitlement} />}
      {sentence.members && <MembersWords sentence={sentence.members} />}
      {sentence.mask && <MaskWords sentence={sentence.mask} />}
      {sentence.beneath && <BeneathWords sentence={sentence.beneath} />}
      {sentence.change && <ChangeWords sentence={sentence.change} />}
    </span>
  );
}
