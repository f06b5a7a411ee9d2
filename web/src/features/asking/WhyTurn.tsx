import { useQueries } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router-dom";
import type { Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { useEdited } from "../../state/asking";
import { useRoles } from "../../state/directory";
import { useModel, useWorkbench } from "../../state/workbench";
import { KeepPromise } from "../../ui/KeepPromise";
import { Letter } from "../../ui/Letter";
import { Notice } from "../../ui/Notice";
import { roleEdits } from "../../ui/unsavedEdits";
import { PinSomebody } from "./PinSomebody";
import { promisedWhy } from "./promised";

const LAYERS: Record<string, string> = {
  account: "Account",
  page: "Page",
  model: "Model",
  object: "Objects",
  rows: "Rows",
  masks: "Masks",
  limits: "Limits",
};
const VERDICTS = { passes: "passes", masked: "shown in part", stops: "stops here" } as const;
const SIGNS = { passes: "✓", masked: "~", stops: "–" } as const;

type Answer = Schemas["WhyAnswer"];

/** Why somebody can or cannot: the verdict in a sentence, what would have to change, and the layers, folded to the one that decides. */
export function WhyTurn({ about }: { about: Schemas["Traced"] }) {
  const bench = useWorkbench();
  const edited = useEdited();
  const [together, setTogether] = useState(false);
  const pins = bench.pins.map((pin, index) => ({ ...pin, place: index + 1 }));
  const people = pins.filter((pin) => !(typeof pin.viewer === "object" && "all_data" in pin.viewer));
  const focused = people.find((pin) => pin.place === bench.focus) ?? people[0];
  const shown = together ? people : focused ? [focused] : [];
  const asked = useQueries({
    queries: shown.map((pin) => queries.why({ viewer: pin.viewer, about, edited, state: bench.state, as_of: bench.day })),
  });
  if (people.length === 0) return <PinSomebody />;
  const answers = asked.map((item) => item.data);
  const parting = together ? partingLayer(answers, about.figure ?? false) : null;
  return (
    <>
      <div className="row wrap small">
        {people.map((pin) => (
          <button
            key={pin.key}
            type="button"
            className="textlink"
            aria-pressed={!together && pin === focused}
            onClick={() => {
              setTogether(false);
              bench.setFocus(pin.place);
            }}
          >
            <Letter place={pin.place} little /> {pin.title}
          </button>
        ))}
        {people.length > 1 && (
          <button type="button" className="textlink" aria-pressed={together} onClick={() => setTogether(!together)}>
            {together ? "one at a time" : "side by side"}
          </button>
        )}
      </div>
      {parting && (
        <p className="above-6">
          They part at <b>{LAYERS[parting]}</b>.
        </p>
      )}
      {together && answers.every(Boolean) && !parting && <p className="above-6">They do not part: the same layers decide for all.</p>}
      <div className="ask-columns above-6">
        {shown.map((pin, index) => {
          const item = asked[index];
          if (item?.isError)
            return (
              <Notice key={pin.key} kind="careful">
                {item.error.message}
              </Notice>
            );
          if (!item?.data)
            return (
              <p key={pin.key} className="soft small">
                Following the rules…
              </p>
            );
          return (
            <section key={pin.key} aria-label={pin.title}>
              {together && (
                <p>
                  <Letter place={pin.place} little /> <b>{pin.title}</b>
                </p>
              )}
              <Told answer={item.data} open={parting ?? item.data.verdict.layer} />
              {typeof pin.viewer === "string" && (
                <Kept login={pin.viewer} title={pin.title} about={about} outcome={item.data.trace.outcome} />
              )}
              <Remedies answer={item.data} login={typeof pin.viewer === "string" ? pin.viewer : null} />
            </section>
          );
        })}
      </div>
    </>
  );
}

/** The verdict as a promise, where one can hold it. */
function Kept({
  login,
  title,
  about,
  outcome,
}: {
  login: string;
  title: string;
  about: Schemas["Traced"];
  outcome: Answer["trace"]["outcome"];
}) {
  const model = useModel();
  const edited = useEdited();
  const key = model.data?.document.tables?.find((table) => table.name === about.table)?.key ?? null;
  const promise = promisedWhy(login, title, about, outcome, key);
  return promise && edited.length === 0 ? <KeepPromise promise={promise} /> : null;
}

/** The first layer on which the verdicts differ; of a figure, also that on which other rows count. */
function partingLayer(answers: (Answer | undefined)[], figure: boolean): string | null {
  const traces = answers.flatMap((answer) => (answer ? [answer.trace] : []));
  const first = traces[0];
  if (!first || traces.length < 2) return null;
  const longest = traces.reduce((one, other) => (other.layers.length > one.layers.length ? other : one));
  for (const { layer } of longest.layers) {
    const found = traces.map((trace) => trace.layers.find((item) => item.layer === layer));
    if (figure && layer === "rows" && new Set(found.map((item) => item?.message)).size > 1) return layer;
    const verdicts = new Set(found.map((item) => item?.verdict ?? "not reached"));
    if (verdicts.size > 1)
      return traces.map((trace) => trace.layers.find((item) => item.verdict === "stops")?.layer).find(Boolean) ?? layer;
  }
  return null;
}

function Told({ answer, open }: { answer: Answer; open: string }) {
  return (
    <div data-testid="why">
      <p className={`ask-verdict ${answer.trace.outcome}`} data-testid="verdict">
        {answer.verdict.message}
      </p>
      {answer.trace.layers.map((layer) => (
        <details key={layer.layer} className="ask-layer" open={layer.layer === open}>
          <summary>
            <span role="img" aria-label={VERDICTS[layer.verdict]}>
              {SIGNS[layer.verdict]}
            </span>{" "}
            <b>{LAYERS[layer.layer] ?? layer.layer}</b> <span className="soft small">{VERDICTS[layer.verdict]}</span>
          </summary>
          <p className="small">{layer.message}</p>
          {(layer.reasons ?? []).map((reason, index) => (
            <div key={index} className={`ask-reason ${reason.passes || layer.layer === "model" ? "" : "no"}`}>
              <Link to={`/roles/${encodeURIComponent(reason.role)}`}>{reason.label}</Link>
              {typeof reason.sentence === "number" && <span className="soft"> sentence {reason.sentence + 1}</span>}: {reason.message}
              {reason.held_by.length > 0 && <div className="soft">held: {reason.held_by.join("; ")}</div>}
              {(reason.compared ?? []).map((item) => (
                <div key={item.name} className="soft">
                  <code>{item.name}</code> = <b>{told(item.value)}</b>
                  {item.source && ` (${item.source})`}
                </div>
              ))}
            </div>
          ))}
        </details>
      ))}
    </div>
  );
}

function told(value: unknown): string {
  return value === null ? "not set" : Array.isArray(value) ? value.join(", ") || "empty" : String(value);
}

/** Single changes that alone would help, each tried by the code that decides; and where it is made. */
function Remedies({ answer, login }: { answer: Answer; login: string | null }) {
  if (answer.trace.outcome === "can") return null;
  return (
    <>
      <h3>What would have to change</h3>
      {answer.remedies.length === 0 && <p className="soft small">No single change is enough.</p>}
      <ul className="small ask-remedies">
        {answer.remedies.slice(0, 8).map((remedy) => (
          <li key={`${remedy.kind}.${remedy.name}.${remedy.message}`}>
            {remedy.message} {remedy.outcome === "masked" && <span className="soft">It would be shown in part. </span>}
            {remedy.kind === "sentence" ? (
              <TakeOver remedy={remedy} />
            ) : remedy.kind === "assign" || remedy.kind === "take_away" ? (
              <Link to={`/roles/${encodeURIComponent(remedy.name)}`}>at the role</Link>
            ) : (
              login && <Link to={`/people/${encodeURIComponent(login)}`}>at the person</Link>
            )}
          </li>
        ))}
      </ul>
    </>
  );
}

/** Takes a remedy that is an edit of a role over, unsaved: its effect is looked at on the bench before it is saved. */
function TakeOver({ remedy }: { remedy: Answer["remedies"][number] }) {
  const roles = useRoles();
  const navigate = useNavigate();
  const entry = roles.data?.roles.find((item) => item.role.name === remedy.name);
  if (!entry) return null;
  const take = () => {
    const now = roleEdits.get(remedy.name)?.now ?? entry.role;
    const sentences = (now.sentences ?? []).map((item, place) => (place === remedy.sentence ? { ...item, off: true } : item));
    roleEdits.change(remedy.name, entry.version, entry.role, { ...now, sentences });
    navigate(`/roles/${encodeURIComponent(remedy.name)}`);
  };
  return (
    <button type="button" className="textlink" onClick={take}>
      take over as an unsaved edit
    </button>
  );
}
