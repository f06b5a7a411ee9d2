import { Fragment } from "react";
import type { Clause, Sentence } from "../../api/client";

function Value({ children }: { children: string }) {
  return <span className="val">{children}</span>;
}

function listed(values: unknown[]): string {
  const shown = values.slice(0, 6).map(String);
  return values.length > 6 ? `${shown.join(", ")} and ${values.length - 6} more` : shown.join(", ");
}

function ClauseWords({ clause, own }: { clause: Clause; own: string }) {
  const column = clause.table === own ? clause.column : `${clause.table} › ${clause.column}`;
  const is = clause.negated ? "is not" : "is";
  return (
    <>
      <span className="obj">{column}</span>{" "}
      {clause.kind === "viewer" && (
        <>
          {clause.many ? `${is} one of` : is} <Value>{`the viewer’s ${clause.viewer}`}</Value>
        </>
      )}
      {clause.kind === "blank" && <>{is} blank</>}
      {clause.kind === "values" && (
        <>
          {clause.values.length > 1 ? `${is} one of` : is} <Value>{listed(clause.values)}</Value>
        </>
      )}
      {clause.kind === "range" && (
        <>
          {clause.low !== null && clause.low !== undefined && (
            <>
              from <Value>{String(clause.low)}</Value>{" "}
            </>
          )}
          {clause.high !== null && clause.high !== undefined && (
            <>
              up to <Value>{String(clause.high)}</Value>
            </>
          )}
        </>
      )}
    </>
  );
}

/** A rows sentence in plain words; as text where it says more than clauses can. */
export function RowsWords({ table, where, clauses }: { table: string; where: string; clauses: Clause[] | null }) {
  return (
    <span>
      <span className="obj">{table}</span> <span className="kw">where</span>{" "}
      {clauses && clauses.length > 0 ? (
        clauses.map((clause, index) => (
          <Fragment key={`${clause.table}.${clause.column}.${clause.kind}.${String(index)}`}>
            {index > 0 && <span className="kw"> and </span>}
            <ClauseWords clause={clause} own={table} />
          </Fragment>
        ))
      ) : (
        <code>{where || "…"}</code>
      )}
    </span>
  );
}

function named(name: string): string {
  const [kind, ...rest] = name.split(":");
  return `${kind} ${rest.join(":").replace(".", " › ")}`;
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
      {sentence.on ? sentence.on.map((target) => <Value key={target}>{named(target)}</Value>) : <span className="obj">any page</span>}
      {sentence.where && (
        <>
          {" "}
          <span className="kw">where</span> <code>{sentence.where}</code>
        </>
      )}
    </span>
  );
}
