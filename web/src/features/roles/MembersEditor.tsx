import { useQuery } from "@tanstack/react-query";
import { Input, Radio, Select } from "antd";
import { useMemo, useState } from "react";
import type { PinnedViewer, Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { useAsking } from "../../state/asking";
import { useWorkbench } from "../../state/workbench";
import { count } from "../../ui/figures";
import { Notice } from "../../ui/Notice";
import type { Editing } from "../../ui/sentences/sentence";
import { useDelayed } from "../../ui/useDelayed";
import { atOrBeneath, mayChange, withChange } from "./mayChange";
import {
  isSeen,
  isViewer,
  listedPath,
  type Members,
  type Node,
  pathKey,
  type Said,
  saidOf,
  shownPath,
  treeOf,
  withSaid,
} from "./memberTree";
import { alone } from "./useEffectOf";
import { WholeTotals } from "./WholeTotals";

const MOST_SHOWN = 200;

type Props = { editing: Editing; sentence: Members; onChange: (sentence: Members) => void };

/** Members of a hierarchy on a tree: see or not at any depth, unlisted ones, totals, attributes of the viewer. */
export function MembersEditor({ editing, sentence, onChange }: Props) {
  const { model, attributes, role } = editing;
  const bench = useWorkbench();
  const pin = bench.pins[bench.focus - 1] ?? bench.pins[0];
  const hierarchies = model.document.hierarchies ?? [];
  const hierarchy = hierarchies.find((item) => item.name === sentence.hierarchy);
  const parents = hierarchy !== undefined && !hierarchy.levels;
  const [search, setSearch] = useState("");
  const asking = useAsking();
  const only = aloneViewer(pin?.viewer, role.name);
  const settled = useDelayed(role, 60);
  const ask = [{ members: { model: model.document.name, hierarchy: sentence.hierarchy } }];
  const members = useQuery({
    ...queries.evaluated({ viewers: [{ all_data: true }], edited: [], ask }),
    enabled: hierarchy !== undefined,
    staleTime: 60_000,
    select: membersOf,
  });
  const seen = useQuery({
    ...queries.evaluated({ viewers: [only], edited: [settled], ask }),
    enabled: hierarchy !== undefined && editing.effect?.problems.length === 0,
    select: membersOf,
  });
  const tree = useMemo(() => treeOf(members.data ?? [], seen.data ?? null), [members.data, seen.data]);
  const known = useMemo(
    () => new Set((members.data ?? []).map((member) => pathKey(listedPath(member.path, parents)))),
    [members.data, parents],
  );
  const gone = members.data ? (sentence.list ?? []).filter((entry) => !entry.path.some(isViewer) && !known.has(pathKey(entry.path))) : [];
  const dynamic = (sentence.list ?? []).filter((entry) => entry.path.some(isViewer));
  const valuesOf = (name: string) => valuesFor(editing.viewerValues(name));
  const wanted = search.trim().toLowerCase();
  return (
    <div className="form">
      <div className="field">
        Members of
        <Select
          showSearch
          optionFilterProp="label"
          aria-label="Hierarchy"
          placeholder="hierarchy"
          className="least-160"
          value={sentence.hierarchy || undefined}
          onChange={(next) => onChange({ ...sentence, hierarchy: next, list: [], totals: "own" })}
          options={hierarchies.map((item) => ({ value: item.name, label: `${item.label ?? item.name} (${item.table})` }))}
        />
        unlisted ones are
        <Radio.Group
          size="small"
          aria-label="Unlisted members"
          value={sentence.unlisted ?? "hidden"}
          onChange={(event) => onChange({ ...sentence, unlisted: event.target.value as "hidden" })}
        >
          <Radio.Button value="hidden">hidden</Radio.Button>
          <Radio.Button value="visible">visible</Radio.Button>
        </Radio.Group>
      </div>
      {sentence.unlisted === "visible" && (
        <p className="small warn">A member that arrives later is open to everybody who holds this role.</p>
      )}
      {gone.map((entry) => (
        <Notice key={pathKey(entry.path)} kind="careful">
          {shownPath(entry.path)} is not in the data any more: this line matches nothing.{" "}
          <button type="button" className="textlink" onClick={() => onChange(withSaid(sentence, entry.path, "inherits"))}>
            Take it out
          </button>
        </Notice>
      ))}
      {hierarchy && !parents && (
        <DynamicEntries
          sentence={sentence}
          levels={hierarchy.levels ?? []}
          entries={dynamic}
          attributes={attributes}
          onChange={onChange}
          viewerValues={editing.viewerValues}
        />
      )}
      {hierarchy && parents && attributes.length > 0 && (
        <DynamicEntries
          sentence={sentence}
          levels={[hierarchy.key ?? ""]}
          entries={dynamic}
          attributes={attributes}
          onChange={onChange}
          viewerValues={editing.viewerValues}
        />
      )}
      {hierarchy && (
        <>
          <Input
            size="small"
            allowClear
            aria-label="Search members"
            placeholder="Search members"
            value={search}
            onChange={(event) => setSearch(event.target.value)}
          />
          <div className="object-tree members">
            {tree.length === 0 && (
              <p className="soft small">
                {members.isError ? members.error.message : members.data ? "The hierarchy has no members yet." : "Reading the members…"}
              </p>
            )}
            <MemberNodes
              nodes={tree}
              depth={0}
              wanted={wanted}
              parents={parents}
              sentence={sentence}
              valuesOf={valuesOf}
              say={(path, said) => onChange(withSaid(sentence, path, said))}
              ask={(path) =>
                asking.ask({
                  title: path.map(String).join(" › "),
                  who: { model: model.document.name, hierarchy: hierarchy?.name ?? "", path: path as never },
                })
              }
              open={
                role.kind === "grant" && editing.changeRole
                  ? (node) => {
                      const condition = atOrBeneath(model.document, hierarchy, node);
                      if (condition === null) return null;
                      return mayChange(role, hierarchy.table, condition)
                        ? "said"
                        : () => editing.changeRole?.(withChange(role, hierarchy.table, condition));
                    }
                  : () => null
              }
            />
          </div>
          <p className="soft small">
            Rows at or beneath each member
            {seen.data ? `; “sees” counts what ${pin ? pin.title : "somebody"} sees with this role alone` : ""}. What is said of a member
            holds for all beneath it until something else is said there.
          </p>
          <div className="row wrap">
            <span>Totals</span>
            <Radio.Group
              size="small"
              aria-label="Totals"
              value={sentence.totals ?? "own"}
              onChange={(event) => onChange({ ...sentence, totals: event.target.value as "own" })}
            >
              <Radio.Button value="own">own: over what they see</Radio.Button>
              <Radio.Button value="whole" disabled={parents || role.kind === "limit"}>
                whole: over everything
              </Radio.Button>
            </Radio.Group>
            {(parents || role.kind === "limit") && (
              <span className="soft small">Whole totals are for grant roles and hierarchies of levels.</span>
            )}
          </div>
          {!parents && role.kind === "grant" && (
            <WholeTotals editing={editing} sentence={sentence} viewer={only} levels={hierarchy.levels ?? []} table={hierarchy.table} />
          )}
        </>
      )}
    </div>
  );
}

function membersOf(answer: Schemas["EvaluateAnswer"]): Schemas["Member"][] {
  const found = answer.viewers[0]?.answers[0];
  return found && "members" in found ? found.members : [];
}

/** The pinned viewer, or nobody in particular, with this role alone. */
function aloneViewer(viewer: PinnedViewer | undefined, role: string): PinnedViewer {
  const somebody = viewer !== undefined && !(typeof viewer === "object" && "all_data" in viewer);
  return somebody ? alone(viewer, role) : { imagine: { only_roles: [role] } };
}

/** "for Jo Ames: High Fells, Eastmoor" back to its values; null where there are none. */
function valuesFor(text: string | null): string[] | null {
  const shown = text?.split(": ").slice(1).join(": ");
  return !shown || shown === "not set" || shown.startsWith("in conflict") ? null : shown.split(", ");
}

type NodesProps = {
  nodes: Node[];
  depth: number;
  wanted: string;
  parents: boolean;
  sentence: Members;
  valuesOf: (name: string) => string[] | null;
  say: (path: Members["list"] extends (infer E)[] | undefined ? (E extends { path: infer P } ? P : never) : never, said: Said) => void;
  ask: (path: unknown[]) => void;
  /** Lets rows at or beneath a member be changed, as a change sentence beside; said already, or null where it cannot be. */
  open: (node: Node) => (() => void) | "said" | null;
};

function holds(node: Node, wanted: string): boolean {
  return node.name.toLowerCase().includes(wanted) || node.children.some((child) => holds(child, wanted));
}

function MemberNodes(props: NodesProps) {
  const [all, setAll] = useState(false);
  const found = props.wanted ? props.nodes.filter((node) => holds(node, props.wanted)) : props.nodes;
  const shown = all ? found : found.slice(0, MOST_SHOWN);
  return (
    <>
      {shown.map((node) => (
        <MemberLine key={node.key} {...props} node={node} />
      ))}
      {found.length > shown.length && (
        <button type="button" className="textlink small" style={{ marginLeft: props.depth * 16 }} onClick={() => setAll(true)}>
          {found.length - shown.length} more
        </button>
      )}
    </>
  );
}

function MemberLine({ node, ...props }: NodesProps & { node: Node }) {
  const { depth, wanted, parents, sentence, valuesOf, say, ask } = props;
  const said = saidOf(sentence, listedPath(node.path, parents));
  const seen = isSeen(sentence, node.path, parents, valuesOf);
  // What it would be if nothing were said of it: its own entry is left out.
  const own = pathKey(listedPath(node.path, parents));
  const without = { ...sentence, list: (sentence.list ?? []).filter((entry) => pathKey(entry.path) !== own) };
  const above = isSeen(without, node.path, parents, valuesOf);
  const saidBeneath = (sentence.list ?? []).some(
    (entry) => !parents && entry.path.length > node.path.length && pathKey(entry.path.slice(0, node.path.length)) === pathKey(node.path),
  );
  const changing = props.open(node);
  const [unfolded, setUnfolded] = useState(saidBeneath);
  const opened = unfolded || wanted !== "";
  return (
    <div className="member">
      <div className="object-line" style={{ paddingLeft: depth * 16 }}>
        <button
          type="button"
          className="plain fold"
          disabled={node.children.length === 0}
          aria-expanded={node.children.length > 0 ? opened : undefined}
          aria-label={`${opened ? "Fold" : "Unfold"} ${node.name}`}
          onClick={() => setUnfolded(!unfolded)}
        >
          {node.children.length === 0 ? "" : opened ? "▾" : "▸"}
        </button>
        <span className={`mark ${seen ? "visible" : "hid"} ${said === "inherits" ? "inherited" : ""}`} aria-hidden="true" />
        <span className="cut grow" title={node.path.map(String).join(" › ")}>
          {node.name}
        </span>
        <span className="soft small nowrap">
          {node.seen === null
            ? count(node.rows)
            : node.seen === node.rows
              ? `sees all ${count(node.rows)}`
              : `sees ${count(node.seen)} of ${count(node.rows)}`}
        </span>
        <button type="button" className="textlink small nowrap" onClick={() => ask(node.path)}>
          who?
        </button>
        {changing && (
          <button
            type="button"
            className="textlink small nowrap"
            disabled={changing === "said"}
            title="Writes a change sentence: rows at or beneath this member may be updated"
            onClick={changing === "said" ? undefined : changing}
          >
            {changing === "said" ? "may change ✓" : "may change"}
          </button>
        )}
        <Radio.Group
          size="small"
          aria-label={node.name}
          value={said}
          onChange={(event) => say(listedPath(node.path, parents) as never, event.target.value as Said)}
        >
          <Radio.Button value="see">see</Radio.Button>
          <Radio.Button value="inherits">{above ? "as above: seen" : "as above: not"}</Radio.Button>
          <Radio.Button value="not">not</Radio.Button>
        </Radio.Group>
      </div>
      {opened && (
        <MemberNodes {...props} nodes={node.children} depth={depth + 1} wanted={node.name.toLowerCase().includes(wanted) ? "" : wanted} />
      )}
    </div>
  );
}

type DynamicProps = {
  sentence: Members;
  levels: string[];
  entries: NonNullable<Members["list"]>;
  attributes: Editing["attributes"];
  viewerValues: (name: string) => string | null;
  onChange: (sentence: Members) => void;
};

/** Members that stand for an attribute of the viewer, at the top level or beneath another attribute. */
function DynamicEntries({ sentence, levels, entries, attributes, viewerValues, onChange }: DynamicProps) {
  return (
    <div className="dynamic-members">
      {entries.map((entry) => (
        <div key={pathKey(entry.path)} className="row small">
          <span className={`mark ${entry.see ? "visible" : "hid"}`} aria-hidden="true" />
          <span className="grow">
            <b>{shownPath(entry.path)}</b>{" "}
            <span className="soft">
              {entry.path
                .filter(isViewer)
                .map((item) => viewerValues(item.viewer) ?? "")
                .join(" ")}
            </span>
          </span>
          <Radio.Group
            size="small"
            aria-label={shownPath(entry.path)}
            value={entry.see ? "see" : "not"}
            onChange={(event) => onChange(withSaid(sentence, entry.path, event.target.value as Said))}
          >
            <Radio.Button value="see">see</Radio.Button>
            <Radio.Button value="not">not</Radio.Button>
          </Radio.Group>
          <button
            type="button"
            className="plain soft"
            aria-label={`Take out ${shownPath(entry.path)}`}
            onClick={() => onChange(withSaid(sentence, entry.path, "inherits"))}
          >
            ×
          </button>
        </div>
      ))}
      <div className="row small">
        <Select
          showSearch
          optionFilterProp="label"
          size="small"
          aria-label="A member that is an attribute of the viewer"
          placeholder={`+ ${levels[0] ?? "member"} that is the viewer’s…`}
          className="least-220"
          value={null}
          onChange={(name: string) => onChange(withSaid(sentence, [{ viewer: name }], "see"))}
          options={attributes.map((attribute) => ({ value: attribute.name, label: `the viewer’s ${attribute.name}` }))}
        />
        {levels.length > 1 && entries.some((entry) => entry.path.length === 1 && entry.see) && (
          <Select
            showSearch
            optionFilterProp="label"
            size="small"
            aria-label="A level beneath that is another attribute"
            placeholder={`+ ${levels[1]} beneath it that is…`}
            className="least-200"
            value={null}
            onChange={(name: string) => {
              const above = entries.find((entry) => entry.path.length === 1 && entry.see);
              if (above) onChange(withSaid(sentence, [...above.path, { viewer: name }], "not"));
            }}
            options={attributes.map((attribute) => ({ value: attribute.name, label: `the viewer’s ${attribute.name}` }))}
          />
        )}
      </div>
    </div>
  );
}
