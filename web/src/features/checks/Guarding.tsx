import { useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link } from "react-router-dom";
import type { Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { plural } from "../../ui/figures";
import { KeepPromise } from "../../ui/KeepPromise";
import { Notice } from "../../ui/Notice";
import { Underway } from "../../ui/Underway";
import { forWhom, inWords } from "./words";

type Sentence = Schemas["GuardedSentence"];

/** How much the promises guard: every sentence opened a little in turn, and what nobody would notice. */
export function Guarding() {
  const found = useQuery({ ...queries.guard(), refetchInterval: (query) => (query.state.data?.ready === false ? 700 : false) });
  const [all, setAll] = useState(false);
  // What was worked out last stays in view while it is worked out again.
  const last = useRef<Schemas["GuardAnswer"] | null>(null);
  if (found.data?.ready) last.current = found.data;
  if (found.isError) return <Notice kind="bad">{found.error.message}</Notice>;
  const again = found.data !== undefined && !found.data.ready && !found.data.failed;
  const guard = again ? last.current : found.data;
  const underway = <Underway what="Opening every sentence a little in turn" each="role" done={found.data?.done} of={found.data?.of} />;
  if (!guard) return underway;
  if (guard.failed) return <Notice kind="bad">It could not be worked out: {guard.failed}</Notice>;
  const open = guard.sentences.filter((item) => !item.guarded);
  const shown = all ? guard.sentences : open;
  return (
    <section aria-label="Guarding">
      <h2>Would a mistake be noticed?</h2>
      <p className="soft most-980">
        Every sentence and assignment is opened a little, one at a time: left out, a clause dropped, a value added, a mask weakened. It is
        guarded if each such change breaks a promise. What is not guarded could be undone by a slip, and no check would tell.
      </p>
      {again && underway}
      <div className="guard-share" role="img" aria-label={`${guard.guarded} of ${guard.sentences.length} guarded`}>
        <div style={{ width: `${guard.share}%` }} />
      </div>
      <p>
        <b>
          {guard.guarded} of {plural(guard.sentences.length, "sentence and assignment", "sentences and assignments")} guarded
        </b>
        , {Math.round(guard.share)} %.{" "}
        <button type="button" className="textlink" onClick={() => setAll(!all)}>
          {all ? "show only what is not" : "show all"}
        </button>
      </p>
      {shown.length === 0 && <Notice kind="good">Every sentence that decides anything is guarded by a promise.</Notice>}
      <ul className="check-list">
        {shown.map((item) => (
          <GuardedItem key={`${item.role} ${item.sentence ?? "-"} ${item.assignment ?? "-"}`} item={item} />
        ))}
      </ul>
    </section>
  );
}

function GuardedItem({ item }: { item: Sentence }) {
  const unnoticed = item.mutants.filter((mutant) => mutant.noticed_by.length === 0);
  const noticing = [...new Set(item.mutants.flatMap((mutant) => mutant.noticed_by))];
  const place = item.sentence != null ? `sentence ${item.sentence + 1}` : `assignment ${(item.assignment ?? 0) + 1}`;
  const promise = item.proposed as Schemas["Promise"] | null | undefined;
  return (
    <li>
      <div className="row">
        <span className={item.guarded ? "check-mark" : "check-mark open"}>{item.guarded ? "guarded" : "not guarded"}</span>
        <Link to={`/roles/${encodeURIComponent(item.role)}`}>
          <b>{item.label}</b>
        </Link>
        <span className="soft">{place}</span>
        <span className="grow" />
        <span className="soft small">
          would open to {plural(item.people, "person", "people")}
          {item.sensitive && " · sensitive"}
        </span>
      </div>
      <div className="wraps">{item.says}</div>
      {unnoticed.length > 0 && <div className="small soft">nothing notices: {unnoticed.map((mutant) => mutant.change).join("; ")}</div>}
      {noticing.length > 0 && <div className="small soft">noticed by {noticing.join(", ")}</div>}
      {promise && (
        <div className="above-4">
          <span className="small">
            A promise that would notice: <b>{forWhom(promise.viewer, promise.viewers)}</b> {inWords(promise.must)}
          </span>
          <KeepPromise promise={promise} />
        </div>
      )}
    </li>
  );
}
