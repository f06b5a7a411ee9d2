import { Checkbox } from "antd";
import type { Schemas, Sentence } from "../../api/client";
import { sentenceInWords } from "../../ui/sentences/inWords";
import { KINDS } from "../../ui/sentences/sentence";
import "../../ui/sentences/sentences.css";

type Change = Schemas["ItemChange"];

/** What differs between two states, item by item; with `choose`, each can be left out. */
export function Changes({
  changes,
  chosen,
  choose,
}: {
  changes: Change[];
  chosen?: (change: Change) => boolean;
  choose?: (change: Change, on: boolean) => void;
}) {
  return (
    <>
      {changes.map((change) => (
        <div key={`${change.kind}.${change.name}`} className={!chosen || chosen(change) ? "sentence" : "sentence not-chosen"}>
          {choose && chosen && (
            <Checkbox
              aria-label={`Release ${change.label}`}
              checked={chosen(change)}
              onChange={(event) => choose(change, event.target.checked)}
            />
          )}{" "}
          <b>{change.label}</b> <span className="soft">{singular(change.kind)}</span> <span className="kw">{change.change}</span>
          {chosen && !chosen(change) && <span className="soft"> · stays in the draft</span>}
          {change.differences.map((part, index) => (
            <div key={`${part.path}.${String(index)}`} className="small above-4">
              <span className="soft">{part.path}:</span>
              <div>
                <span className="soft">was</span> <code>{said(part.before)}</code>
              </div>
              <div>
                <span className="soft">now</span> <code>{said(part.after)}</code>
              </div>
            </div>
          ))}
        </div>
      ))}
    </>
  );
}

const SINGULAR: Record<Change["kind"], string> = { models: "model", roles: "role", shelves: "shelf", pages: "page", promises: "promise" };

/** One of a list, by the name of the list. */
export function singular(kind: Change["kind"]): string {
  return SINGULAR[kind];
}

function said(value: unknown): string {
  if (value === null || value === undefined) return "nothing";
  if (typeof value !== "object") return String(value);
  return KINDS.some((kind) => kind in value) ? sentenceInWords(value as Sentence) : JSON.stringify(value);
}
