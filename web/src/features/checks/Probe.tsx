import { useMutation, useQuery } from "@tanstack/react-query";
import { Button, Select } from "antd";
import { useState } from "react";
import { useSearchParams } from "react-router-dom";
import { api, data, type Role, type Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { usePeople } from "../../state/directory";
import { count, plural } from "../../ui/figures";
import { Notice } from "../../ui/Notice";
import { Underway } from "../../ui/Underway";
import { useTakeOver } from "./useTakeOver";

type Find = Schemas["Find"];
type Viewer = Schemas["ViewerProbe"];

const KINDS = { exact: "worked out exactly", near: "worked out nearly", door: "open by another door" } as const;
/** So many finds of a viewer are shown at first. */
const FIRST = 12;

/** What a curious person could work out of what they may not see. */
export function Probe() {
  const people = usePeople();
  const [asked, setAsked] = useSearchParams();
  const viewer = asked.get("as") ?? undefined;
  const found = useQuery({ ...queries.probe(viewer), refetchInterval: (query) => (query.state.data?.ready === false ? 900 : false) });
  const names = Object.fromEntries((people.data?.people ?? []).map((person) => [person.login, person.name]));
  return (
    <section aria-label="Probe">
      <h2>What could somebody work out?</h2>
      <p className="soft most-980">
        This asks what a curious person may ask, every measure by up to three columns and a filter, and reckons: a total less the parts that
        are shown, two groupings laid over each other, the same value under another name. What follows from the answers is told with the
        questions and the arithmetic.
      </p>
      <div className="row below-8">
        <Select
          aria-label="As whom"
          allowClear
          showSearch
          optionFilterProp="label"
          className="wide-320"
          placeholder="one of each who see the same"
          value={viewer}
          onChange={(login: string | undefined) => setAsked(login ? { as: login } : {}, { replace: true })}
          options={(people.data?.people ?? []).map((person) => ({ value: person.login, label: `${person.name} · ${person.login}` }))}
        />
      </div>
      {found.isError && <Notice kind="bad">{found.error.message}</Notice>}
      {found.data?.failed && <Notice kind="bad">It could not be worked out: {found.data.failed}</Notice>}
      {!found.isError && !found.data?.failed && !found.data?.ready && (
        <Underway what="Asking as one of each" each="viewer" done={found.data?.done} of={found.data?.of} />
      )}
      {found.data?.ready && <Probed viewers={found.data.viewers} names={names} />}
    </section>
  );
}

function Probed({ viewers, names }: { viewers: Viewer[]; names: Record<string, string> }) {
  const leaking = viewers.filter((item) => item.found.length > 0);
  const sum = (pick: (item: Viewer) => number) => viewers.reduce((total, item) => total + pick(item), 0);
  const asked = `${count(sum((item) => item.questions))} questions, ${count(sum((item) => item.equations))} equations, ${count(sum((item) => item.unknowns))} unknowns`;
  return (
    <>
      {leaking.length === 0 ? (
        <Notice kind="good">
          <b>Nothing was found</b> in {asked}.
        </Notice>
      ) : (
        <Notice kind="careful">
          <b>{plural(leaking.length, "viewer")} could work something out</b>; {asked} in all, as {plural(viewers.length, "viewer")}.
        </Notice>
      )}
      {leaking.map((item) => (
        <Leaks key={item.viewer} item={item} name={names[item.viewer] ?? item.viewer} />
      ))}
      {viewers.flatMap((item) => item.left_out).length > 0 && (
        <details className="above-12">
          <summary>What was left out</summary>
          <ul className="small">
            {[...new Set(viewers.flatMap((item) => item.left_out))].map((text) => (
              <li key={text}>{text}</li>
            ))}
          </ul>
        </details>
      )}
      {viewers.some((item) => item.not_used.length > 0) && (
        <p className="soft small above-12">
          Not used in the reckoning, as they are no sums, counts or means:{" "}
          {[...new Set(viewers.flatMap((item) => item.not_used))].join(", ")}.
        </p>
      )}
    </>
  );
}

function Leaks({ item, name }: { item: Viewer; name: string }) {
  const [all, setAll] = useState(false);
  const shown = all ? item.found : item.found.slice(0, FIRST);
  return (
    <section className="above-12" aria-label={`What ${name} could work out`}>
      <h3>
        {name}
        {item.same.length > 0 && <span className="soft"> and {plural(item.same.length, "other who sees", "others who see")} the same</span>}
      </h3>
      <ul className="check-list">
        {shown.map((find, place) => (
          <FindItem key={`${find.kind} ${find.arithmetic} ${String(place)}`} viewer={item.viewer} find={find} />
        ))}
      </ul>
      {item.found.length > shown.length && (
        <button type="button" className="textlink" onClick={() => setAll(true)}>
          show the other {item.found.length - shown.length}
        </button>
      )}
    </section>
  );
}

function FindItem({ viewer, find }: { viewer: string; find: Find }) {
  const close = useMutation({ mutationFn: () => data(api.POST("/api/probe/closings", { body: { viewer, find } })) });
  const takeOver = useTakeOver();
  const [whole, setWhole] = useState(false);
  const long = find.arithmetic.length > 260;
  return (
    <li>
      <div className="row">
        <span className={`check-mark ${find.kind === "near" ? "middle" : "high"}`}>{KINDS[find.kind]}</span>
        <b className="wraps">{subjectOf(find)}</b>
      </div>
      {find.arithmetic && (
        <div className="wraps mono small">
          {long && !whole ? `${find.arithmetic.slice(0, 220)} … ` : find.arithmetic}
          {long && (
            <button type="button" className="textlink" onClick={() => setWhole(!whole)}>
              {whole ? "less" : "all of it"}
            </button>
          )}
        </div>
      )}
      <div className="row above-4">
        {(find.by ?? []).length > 0 && (
          <details className="grow small">
            <summary>{plural((find.by ?? []).length, "question")} to ask</summary>
            {(find.by ?? []).slice(0, 20).map((question) => (
              <code key={JSON.stringify(question)} className="breaks-anywhere block">
                {asked(question)}
              </code>
            ))}
          </details>
        )}
        <Button size="small" loading={close.isPending} disabled={!find.arithmetic} onClick={() => close.mutate()}>
          What closes it?
        </Button>
      </div>
      {close.isError && <Notice kind="bad">{close.error.message}</Notice>}
      {close.data && close.data.tried.length === 0 && (
        <p className="small soft">No single change of a role that was tried closes it; hide or remove the other name by hand.</p>
      )}
      {close.data?.tried.map((item) => (
        <div key={`${item.role} ${item.message}`} className="row small above-4">
          <span className={item.closes ? "check-mark" : "check-mark middle"}>{item.closes ? "closes it" : "narrows it"}</span>
          <span>{item.message}</span>
          <span className="soft">{item.left === 0 ? "nothing is left then" : `${plural(item.left, "find")} left then`}</span>
          <Button size="small" onClick={() => takeOver(item.changed as unknown as Role)}>
            Take over as an unsaved edit
          </Button>
        </div>
      ))}
    </li>
  );
}

/** What was found, in words: of what, where, and how much. */
function subjectOf(find: Find): string {
  const { column, measure, row, member, where } = find.subject;
  const what = column ?? measure ?? "";
  const place = member
    ? ` of ${member.map((part) => part ?? "blank").join(" › ")}`
    : row != null
      ? ` of row ${String(row)}`
      : where
        ? `, ${where}`
        : "";
  const value =
    find.value != null ? `: ${count(find.value)}` : find.low != null ? `: between ${count(find.low)} and ${count(find.high ?? 0)}` : "";
  return `${what}${place}${value}`;
}

function asked(question: Schemas["Question"]): string {
  if (question.totals) {
    const { measures, by, where } = question.totals;
    return `${measures.join(", ")}${by?.length ? ` by ${by.join(", ")}` : ""}${where ? ` where ${where}` : ""}`;
  }
  return question.rows ? `rows of ${question.rows.table}: ${(question.rows.columns ?? []).join(", ")}` : JSON.stringify(question);
}
