import { Fragment } from "react";
import type { Clause, Group } from "../../api/client";
import { isGroup } from "./clauses";

export function Value({ children }: { children: string }) {
  return <span className="val">{children}</span>;
}

function listed(values: unknown[]): string {
  const shown = values.slice(0, 6).map(String);
  return values.length > 6 ? `${shown.join(", ")} and ${values.length - 6} more` : shown.join(", ");
}

function subjectName(clause: Clause, own: string | null): string {
  if (clause.table === own) return clause.column;
  if (clause.table === "viewer") return `the viewer’s ${clause.column}`;
  if (clause.table === "page") return `the page’s ${clause.column}`;
  return `${clause.table}.${clause.column}`;
}

/** One clause in plain words. */
export function ClauseWords({ clause, own }: { clause: Clause; own: string | null }) {
  if (clause.kind === "text") return <code>{clause.text}</code>;
  const is = clause.negated ? "is not" : "is";
  const values = clause.values ?? [];
  const subject = <span className="obj">{subjectName(clause, own)}</span>;
  if (clause.kind === "has") {
    return (
      <>
        {subject} {clause.negated ? "do not have" : "have"} <Value>{listed(values)}</Value>
      </>
    );
  }
  return (
    <>
      {subject}{" "}
      {clause.kind === "viewer" && (
        <>
          {clause.many ? `${is} one of` : is} <Value>{`the viewer’s ${clause.viewer}`}</Value>
        </>
      )}
      {clause.kind === "blank" && <>{is} blank</>}
      {clause.kind === "values" && (
        <>
          {values.length > 1 ? `${is} one of` : is} <Value>{listed(values)}</Value>
        </>
      )}
      {clause.kind === "pattern" && (
        <>
          {clause.negated ? "is not like" : "is like"} <Value>{listed(values)}</Value>
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

/** A group of clauses in plain words; groups inside it stand in brackets. */
export function GroupWords({ group, own, inner = false }: { group: Group; own: string | null; inner?: boolean }) {
  const parts = group.parts ?? [];
  const brackets = inner && parts.length > 1;
  return (
    <>
      {group.negated && <span className="kw">not </span>}
      {(brackets || group.negated) && "("}
      {parts.map((part, index) => (
        <Fragment key={index}>
          {index > 0 && <span className="kw"> {group.joined} </span>}
          {isGroup(part) ? <GroupWords group={part} own={own} inner /> : <ClauseWords clause={part} own={own} />}
        </Fragment>
      ))}
      {(brackets || group.negated) && ")"}
    </>
  );
}
