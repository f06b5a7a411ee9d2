import { useQuery } from "@tanstack/react-query";
import { Button, Select } from "antd";
import { type RefObject, useEffect, useRef, useState } from "react";
import { ApiError, type ModelAnswer, type PinnedViewer, type Role, type RoleEntry, type Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { useAsking } from "../../state/asking";
import { usePeople, useRoles } from "../../state/directory";
import { useWorkbench } from "../../state/workbench";
import { count } from "../../ui/figures";
import { Letter } from "../../ui/Letter";
import { Empty, Notice } from "../../ui/Notice";
import { Share } from "../../ui/Share";
import { decidedTable, unfinished } from "../../ui/sentences/sentence";
import { EffectObjects } from "./EffectObjects";
import { EffectPage } from "./EffectPage";
import { EffectRows } from "./EffectRows";
import { EffectTotals, type TotalsChoice } from "./EffectTotals";
import { type EffectQuery, type Mode, useEffectUnderWay, viewersFor } from "./useEffectOf";

export type Tab = "rows" | "totals" | "page" | "objects";
const TABS: Tab[] = ["rows", "totals", "page", "objects"];

type Props = {
  model: ModelAnswer | undefined;
  entry: RoleEntry;
  role: Role;
  dirty: boolean;
  mode: Mode;
  setMode: (mode: Mode) => void;
  table: string | null;
  setTable: (table: string) => void;
  tab: Tab;
  setTab: (tab: Tab) => void;
  totals: TotalsChoice | null;
  setTotals: (choice: TotalsChoice) => void;
  effect: EffectQuery;
};

/** The right side of the bench: shares before and after for the pinned viewers; rows, totals, a page, objects and why for the one in focus. */
export function EffectPanel(props: Props) {
  const { model, entry, role, dirty, mode, setMode, table, setTable, tab, setTab, effect } = props;
  const bench = useWorkbench();
  const people = usePeople();
  const roles = useRoles();
  const pin = bench.pins[bench.focus - 1] ?? bench.pins[0];
  const holders = useQuery({ ...queries.roleHolders(entry.role.name), enabled: !pin && entry.people > 0 });
  const at = pin ? bench.pins.indexOf(pin) : 0;
  const panel = useRef<HTMLDivElement>(null);
  const [together, setTogether] = useState(false);
  const asking = useAsking();
  if (!pin) {
    return (
      <Empty title="Pin somebody to see what this role does">
        <p>The effect follows every keystroke, before anything is saved.</p>
        {(holders.data?.holders ?? []).slice(0, 3).map((holder) => {
          const held = people.data?.people.find((person) => person.login === holder.login)?.roles.join(", ") ?? "";
          return (
            <p key={holder.login}>
              <Button
                size="small"
                onClick={() =>
                  bench.pin({ key: `user:${holder.login}`, title: holder.name, detail: `${holder.login} · ${held}`, viewer: holder.login })
                }
              >
                Pin {holder.name}
              </Button>
            </p>
          );
        })}
        <p>
          <Button
            size="small"
            onClick={() =>
              bench.pin({
                key: `roles:${entry.role.name}`,
                title: role.label ?? role.name,
                detail: "role on its own",
                viewer: { imagine: { only_roles: [entry.role.name] } },
              })
            }
          >
            Pin this role on its own
          </Button>
        </p>
      </Empty>
    );
  }
  const answer = effect.data;
  const before = answer?.before.shares[at];
  const shown = answer?.after?.shares[at] ?? before;
  const refused = shown?.refused;
  const decided = (role.sentences ?? []).map((sentence) => decidedTable(sentence, model)).filter((name) => name !== null);
  const missing = (role.sentences ?? []).map(unfinished).find((item) => item !== null) ?? null;
  const elsewhere = rolesElsewhere(pin.viewer, roles.data?.roles ?? [], model?.document.name);
  const unset = attributesMissing(pin.viewer, role);
  const viewer = viewersFor([pin.viewer], mode, entry.role.name)[0] ?? pin.viewer;
  const everything = typeof viewer === "object" && "all_data" in viewer;
  const askRow = (what: "why" | "who", row: string | number, title: string) => {
    const about = { model: role.model ?? "", table: table ?? "", row };
    asking.ask({ title, why: about, who: about }, what);
  };
  return (
    <div className="effect" data-testid="effect" ref={panel}>
      <UnderWay panel={panel} />
      <div className="row">
        <Letter place={at + 1} />
        <b className="cut">Effect for {pin.title}</b>
        <span className="grow" />
        <span className={`state-mark small nowrap ${dirty ? "" : "quiet"}`}>{dirty ? "draft, unsaved" : "draft"}</span>
      </div>
      <Held pinned={pin.viewer} mode={mode} setMode={setMode} />
      {effect.isError && (
        <Notice kind={effect.error instanceof ApiError && effect.error.status === 403 ? "careful" : "bad"}>
          {effect.error instanceof ApiError && effect.error.status === 403
            ? "What this does to people is shown to accounts that may look at all of them with values; yours writes the sentences. Ask one of them to look at the draft before it is released."
            : effect.error instanceof ApiError
              ? effect.error.message
              : "The effect could not be worked out."}
        </Notice>
      )}
      {missing && <Notice>Left out here until it is finished: {missing}</Notice>}
      {answer && answer.problems.length > 0 && <Notice kind="careful">The edit does not check out yet; shown is the saved draft.</Notice>}
      {mode === "all" && answer && !(answer.held_by[at] ?? false) && (
        <Notice kind="careful">
          {pin.title} does not hold this role, so editing it changes nothing here. Look at{" "}
          <button type="button" className="textlink" onClick={() => setMode("alone")}>
            this role alone
          </button>
          , or map it.
        </Notice>
      )}
      {refused && (
        <Notice kind="careful">
          {mode === "alone" && role.kind === "limit"
            ? "A limit opens nothing on its own. Look with all roles held."
            : elsewhere
              ? `${pin.title} is pinned with ${elsewhere}, which is of another model. Nothing of this model is opened by it.`
              : refused.message}
        </Notice>
      )}
      {shown && !refused && <NothingLeft share={shown} before={before ?? null} decided={decided} unset={unset} />}
      {bench.pins.length > 1 && (
        <div className="row small">
          <button type="button" className="textlink" aria-pressed={together} onClick={() => setTogether(!together)}>
            {together ? `Only ${pin.title}` : `${bench.pins.length === 2 ? "Both" : `All ${bench.pins.length}`} pinned side by side`}
          </button>
        </div>
      )}
      {together && answer ? (
        <SharesTogether answer={answer} table={table} setTable={setTable} />
      ) : (
        shown && !refused && <Shares shown={shown} before={answer?.after ? before : undefined} table={table} setTable={setTable} />
      )}
      {shown && !refused && answer && (
        <>
          <div className="tabs small above-12">
            <div role="tablist" className="tablist">
              {TABS.map((item) => (
                <button key={item} type="button" role="tab" aria-selected={tab === item} onClick={() => setTab(item)}>
                  {item}
                </button>
              ))}
            </div>
            <span className="grow" />
            {tab === "rows" && (
              <Select
                showSearch
                optionFilterProp="label"
                size="small"
                aria-label="Rows of"
                value={table}
                onChange={setTable}
                className="least-110"
                options={shown.tables.map((item) => ({ value: item.table, label: item.table }))}
              />
            )}
          </div>
          {tab === "rows" && <EffectRows model={model} answer={answer} table={table} at={at} ask={askRow} everything={everything} />}
          {tab === "totals" && model && (
            <EffectTotals
              model={model}
              answer={answer}
              at={at}
              choice={props.totals}
              choose={props.setTotals}
              viewer={{ title: pin.title, viewer }}
              role={{ ...role, name: entry.role.name }}
            />
          )}
          {tab === "page" && <EffectPage viewer={viewer} role={role} />}
          {tab === "objects" && <EffectObjects share={shown} before={before} model={model} effect={answer} />}
        </>
      )}
    </div>
  );
}

/** Says of the panel whether its figures are on their way; nothing is drawn anew for it. */
function UnderWay({ panel }: { panel: RefObject<HTMLDivElement | null> }) {
  const busy = useEffectUnderWay();
  useEffect(() => panel.current?.setAttribute("aria-busy", String(busy)), [panel, busy]);
  return null;
}

function Held({ pinned, mode, setMode }: { pinned: unknown; mode: Mode; setMode: (mode: Mode) => void }) {
  const people = usePeople();
  const roles = useRoles();
  const login = typeof pinned === "string" ? pinned : null;
  const held = (people.data?.people.find((person) => person.login === login)?.roles ?? []).map(
    (name) => roles.data?.roles.find((item) => item.role.name === name)?.role.label ?? name,
  );
  return (
    <p className="small soft around-4-0-8">
      {mode === "all" ? `with all roles held${held.length > 0 ? `: ${held.join(", ")}` : ""}` : "this role alone"} ·{" "}
      <button type="button" className="textlink" onClick={() => setMode(mode === "all" ? "alone" : "all")}>
        {mode === "all" ? "this role alone" : "with all roles held"}
      </button>
    </p>
  );
}

/** A rule that hides every row of a model, or of a table it decides, says so, instead of showing empty bars only. */
function NothingLeft({
  share,
  before,
  decided,
  unset,
}: {
  share: Schemas["ModelShare"];
  before: Schemas["ModelShare"] | null;
  decided: string[];
  /** Attributes the role reads and the viewer cannot have, being nobody. */
  unset: string[];
}) {
  const some = share.tables.some((item) => item.rows > 0 && (item.visible ?? 0) > 0);
  if (share.tables.length === 0) return null;
  if (!some && unset.length > 0)
    return (
      <Notice kind="careful">
        A role on its own has no attributes, and this one reads {unset.map((name) => `viewer.${name}`).join(", ")}: not set, it opens no
        row. Pin somebody who has a value.
      </Notice>
    );
  if (!some)
    return (
      <Notice kind="careful">
        Nothing is left: no row of any table is visible. Do two sentences contradict one another, or does a value match no row?
      </Notice>
    );
  const had = (table: string) => (before?.tables.find((item) => item.table === table)?.visible ?? 0) > 0;
  const emptied = share.tables.filter((item) => decided.includes(item.table) && item.visible === 0 && had(item.table));
  if (emptied.length === 0) return null;
  return (
    <Notice kind="careful">
      This edit leaves no row of {emptied.map((item) => item.table).join(", ")}. Does the sentence contradict itself or another one, or does
      a value match no row?
    </Notice>
  );
}

/** The roles a viewer is pinned with that are of another model than the one being looked at; null where some are of it. */
function rolesElsewhere(pinned: PinnedViewer, entries: RoleEntry[], model: string | undefined): string | null {
  const only =
    typeof pinned === "string" || "all_data" in pinned ? null : "imagine" in pinned ? pinned.imagine.only_roles : pinned.only_roles;
  const named = entries.filter((entry) => only?.includes(entry.role.name));
  if (named.length === 0 || named.some((entry) => entry.role.model === model)) return null;
  return named.map((entry) => entry.role.label ?? entry.role.name).join(", ");
}

/** The attributes a role reads, where the viewer is an imagined one that has none. */
function attributesMissing(pinned: PinnedViewer, role: Role): string[] {
  if (typeof pinned === "string" || !("imagine" in pinned)) return [];
  const has = Object.keys(pinned.imagine.attributes ?? {});
  const text = JSON.stringify(role.sentences ?? []);
  const read = [...text.matchAll(/viewer\.([a-z_]\w*)/gi), ...text.matchAll(/"(?:viewer|attribute)":"(\w+)"/g)].map(
    (match) => match[1] ?? "",
  );
  return [...new Set(read)].filter((name) => !OWN_NAMES.has(name) && !has.includes(name));
}

/** What every viewer has without an attribute. */
const OWN_NAMES = new Set(["login", "name", "email", "mail_domain", "organization", "organizations", "branch", "groups", "roles"]);

type SharesProps = {
  shown: Schemas["ModelShare"];
  before: Schemas["ModelShare"] | undefined;
  table: string | null;
  setTable: (table: string) => void;
};

function Shares({ shown, before, table, setTable }: SharesProps) {
  return (
    <div className="shares">
      {shown.tables.map((item) => {
        const was = before?.tables.find((other) => other.table === item.table);
        const note = item.absent_columns.length > 0 ? `${item.absent_columns.length} absent` : undefined;
        return (
          <button
            key={item.table}
            type="button"
            className={`share ${item.table === table ? "on" : ""}`}
            onClick={() => setTable(item.table)}
            data-testid={`share-${item.table}`}
          >
            <span className="cut">{item.table}</span>
            <Share visible={item.visible} rows={item.rows} was={was ? was.visible : undefined} note={note} width={60} />
          </button>
        );
      })}
    </div>
  );
}

/** The shares of all pinned viewers: a line a table, a column a viewer. */
function SharesTogether({
  answer,
  table,
  setTable,
}: {
  answer: Schemas["EffectAnswer"];
  table: string | null;
  setTable: (table: string) => void;
}) {
  const bench = useWorkbench();
  const before = answer.before.shares;
  const after = answer.after?.shares ?? before;
  return (
    <table className="data shares-together">
      <thead>
        <tr>
          <th>table</th>
          {bench.pins.map((pin, index) => (
            <th key={pin.key} title={pin.title}>
              <Letter place={index + 1} little />
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {(before[0]?.tables ?? []).map((line, index) => (
          <tr key={line.table} className={line.table === table ? "on" : ""}>
            <td className="cut">
              <button type="button" className="plain" onClick={() => setTable(line.table)}>
                {line.table}
              </button>
            </td>
            {bench.pins.map((pin, viewer) => {
              const now = after[viewer]?.refused ? null : (after[viewer]?.tables[index]?.visible ?? null);
              const was = before[viewer]?.refused ? null : (before[viewer]?.tables[index]?.visible ?? null);
              return (
                <td key={pin.key} className={now === null ? "hid" : ""}>
                  {now === null ? <span className="visually-hidden">absent</span> : <MiniShare visible={now} rows={line.rows} />}
                  {now !== was && <small className="soft"> was {was === null ? "absent" : count(was)}</small>}
                </td>
              );
            })}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function MiniShare({ visible, rows }: { visible: number; rows: number }) {
  return (
    <span title={`${count(visible)} of ${count(rows)}`}>
      <span className="bar wide-44" aria-hidden="true">
        <i style={{ width: `${rows > 0 ? (100 * visible) / rows : 0}%` }} />
      </span>
      <span className="small"> {count(visible)}</span>
    </span>
  );
}
