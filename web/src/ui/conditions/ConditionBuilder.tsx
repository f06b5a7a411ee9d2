import { Select } from "antd";
import { Fragment, useMemo, useRef, useState } from "react";
import { api, type Clause, data, type Group, type Problem } from "../../api/client";
import { useVocabulary } from "../../state/directory";
import { ConditionEditor, type Known } from "../ConditionEditor";
import { type Attribute, ClausePicker } from "./ClausePicker";
import { ClauseWords } from "./ClauseWords";
import { columnText, groupText, isGroup, type Path, partAt, type Subject, subjectKey, withPart } from "./clauses";
import { useConditionSource } from "./source";
import { type CheckKind, useCheck } from "./useCheck";
import "./conditions.css";

const WORDS = ["AND", "OR", "NOT", "IN", "IS NULL", "BETWEEN", "LIKE", "CURRENT_DATE"];
const NOTHING: Group = { joined: "and", negated: false, parts: [] };

type Props = {
  model: string | null;
  table: string | null;
  kind: CheckKind;
  where: string;
  onChange: (where: string) => void;
  subjects: Subject[];
  attributes: Attribute[];
  viewerValues?: (name: string) => string | null;
  label: string;
  hint: string;
  /** What an empty condition means. */
  empty: string;
};

/** A condition, by picking clauses in groups of AND and OR, or as text; the two stay in step. */
export function ConditionBuilder(props: Props) {
  const { model, table, kind, where, onChange, subjects, attributes, label, hint, empty } = props;
  const check = useCheck(model, table, where, kind);
  const problem: Problem | null = where.trim() === "" ? null : (check.data?.problem ?? null);
  const source = useConditionSource();
  const { viewer } = useVocabulary(source === "workspace");
  const names = useMemo(
    () =>
      knownNames(
        subjects,
        attributes,
        viewer.map((item) => item.name),
        table,
        kind,
      ),
    [subjects, attributes, viewer, table, kind],
  );
  // What was picked last: a clause that is only begun is in it, though not in the text.
  const [local, setLocal] = useState<{ where: string; group: Group } | null>(null);
  const answered = check.data?.current && check.data.valid ? (check.data.group ?? null) : undefined;
  const group = where.trim() === "" ? (local?.where === where ? local.group : NOTHING) : local?.where === where ? local.group : answered;
  // While a text is checked, or does not check out, the picker stays as it last was, and out of reach.
  const before = useRef<Group | null>(null);
  if (group) before.current = group;
  const drawn = group ?? (group === null ? null : before.current);
  const valuesOf = async (name: string, typed: string): Promise<string[]> => {
    const subject = subjects.find((item) => name === `${item.table}.${item.column}` || (item.table === table && name === item.column));
    if (subject?.type !== "text") return [];
    if (subject.values || model === null) return (subject.values ?? []).map((item) => String(item.value));
    const path = { model, table: subject.table, column: subject.column };
    const params = { path, query: { search: typed } };
    const found = await data(
      source === "own"
        ? api.GET("/api/my/models/{model}/values/{table}/{column}", { params })
        : api.GET("/api/models/{model}/values/{table}/{column}", { params }),
    );
    return found.values.map((entry) => String(entry.value));
  };
  return (
    <div className="rows-editor">
      <div className="box">
        {!group && (problem || !drawn) && (
          <p className="soft small">
            {problem
              ? "When the text checks out, the picker follows it."
              : group === null
                ? "The condition carries a comment, which picking would lose. Edit it as text."
                : "Reading…"}
          </p>
        )}
        {drawn && (
          <div inert={!group} className={!group && problem ? "behind" : ""}>
            <Picker
              {...props}
              viewerValues={props.viewerValues ?? (() => null)}
              group={drawn}
              change={(next) => {
                const text = groupText(next, table);
                setLocal({ where: text, group: next });
                onChange(text);
              }}
            />
          </div>
        )}
      </div>
      <div className="box">
        <div className="row small below-4">
          <b>as text</b>
          <span className="grow" />
          <span className={problem ? "warn" : "soft"} data-testid="check-verdict">
            {where.trim() === "" ? empty : problem ? "does not check out" : "checks out"}
          </span>
        </div>
        <ConditionEditor value={where} onChange={onChange} names={names} problem={problem} label={label} hint={hint} valuesOf={valuesOf} />
        {problem && (
          <p className="small warn" role="alert">
            {problem.message}
            {problem.nearest && (
              <>
                {" "}
                Nearest:{" "}
                <button
                  type="button"
                  className="textlink"
                  onClick={() => onChange(where.slice(0, problem.start ?? 0) + problem.nearest + where.slice(problem.end ?? where.length))}
                >
                  {problem.nearest}
                </button>
              </>
            )}
          </p>
        )}
      </div>
    </div>
  );
}

function knownNames(subjects: Subject[], attributes: Attribute[], own: string[], table: string | null, kind: CheckKind): Known[] {
  return [
    ...subjects
      .filter((subject) => subject.table !== "viewer")
      .map((subject) => ({
        label: subject.table === "page" ? `page.${subject.column}` : columnText(subject.table, subject.column, table),
        detail: subject.table === "page" ? "page" : subject.type,
      })),
    ...attributes.map((item) => ({ label: `viewer.${item.name}`, detail: `${item.type}${item.multiple ? ", many" : ""}` })),
    ...(kind === "question" ? [] : own.map((name) => ({ label: `viewer.${name}`, detail: "viewer" }))),
    ...WORDS.map((word) => ({ label: word, detail: "" })),
  ];
}

type PickerProps = Props & { group: Group; change: (group: Group) => void; viewerValues: (name: string) => string | null };

function Picker({ model, table, group, change, subjects, attributes, viewerValues }: PickerProps) {
  const [selected, setSelected] = useState<Path | null>(null);
  const [within, setWithin] = useState<Path>([]);
  const [picked, setPicked] = useState<string | null>(null);
  // Counts what was chosen to be edited: the picker begins anew for another clause, and not when a new one comes to be.
  const [turn, setTurn] = useState(0);
  const here = selected ? partAt(group, selected) : null;
  const clauseHere = here && !isGroup(here) ? here : null;
  const groupHere = partAt(group, within);
  const home = groupHere && isGroup(groupHere) ? groupHere : group;
  const homePath = home === group ? [] : within;
  const first = (group.parts ?? []).find((part): part is Clause => !isGroup(part) && part.kind !== "text");
  const current =
    clauseHere && picked === null
      ? subjectKey(clauseHere)
      : (picked ?? (first ? subjectKey(first) : subjects[0] ? subjectKey(subjects[0]) : ""));
  const subject = subjects.find((item) => subjectKey(item) === current);
  const sameAt = (home.parts ?? []).findIndex((part) => !isGroup(part) && part.kind !== "text" && subjectKey(part) === current);
  const path: Path | null = clauseHere && picked === null ? selected : sameAt >= 0 ? [...homePath, sameAt] : null;
  const at = path ? partAt(group, path) : null;
  const clause = at && !isGroup(at) ? at : null;
  const brackets = (group.parts ?? []).length > 1 || (group.parts ?? []).some(isGroup) || group.joined === "or";

  const replace = (next: Clause | null) => {
    if (path) {
      change(withPart(group, path, next));
      setSelected(next ? path : null);
    } else if (next) {
      change(withPart(group, homePath, { ...home, parts: [...(home.parts ?? []), next] }));
      setSelected([...homePath, (home.parts ?? []).length]);
    }
    setPicked(next ? null : current);
  };
  const addTo = (target: Path) => {
    setTurn(turn + 1);
    setWithin(target);
    setSelected(null);
    const used = new Set(((partAt(group, target) as Group | null)?.parts ?? []).map((part) => (isGroup(part) ? "" : subjectKey(part))));
    const fresh = subjects.find((item) => !used.has(subjectKey(item)));
    setPicked(fresh ? subjectKey(fresh) : null);
  };
  const addGroup = (target: Path) => {
    const owner = partAt(group, target) as Group;
    const parts = owner.parts ?? [];
    change(
      withPart(group, target, {
        ...owner,
        parts: [...parts, { joined: owner.joined === "and" ? "or" : "and", negated: false, parts: [] }],
      }),
    );
    addTo([...target, parts.length]);
  };
  return (
    <>
      {brackets && (
        <div className="clause-list">
          <GroupLines
            group={group}
            path={[]}
            own={table}
            selected={path}
            within={homePath}
            select={(next) => {
              setTurn(turn + 1);
              setSelected(next);
              setWithin(next.slice(0, -1));
              setPicked(null);
            }}
            change={(next, part) => change(withPart(group, next, part))}
            addTo={addTo}
            addGroup={addGroup}
          />
        </div>
      )}
      <div className="row below-6">
        <Select
          aria-label="Column"
          showSearch
          value={current || undefined}
          onChange={(next) => {
            setTurn(turn + 1);
            setPicked(next);
          }}
          className="fill no-least"
          optionFilterProp="label"
          options={subjects.map((item) => ({ value: subjectKey(item), label: item.label }))}
        />
        <span className="soft small">{subject?.type}</span>
        {!brackets && (group.parts ?? []).length === 1 && (
          <>
            <button type="button" className="textlink small nowrap" onClick={() => addTo([])}>
              + and…
            </button>
            <button
              type="button"
              className="textlink small nowrap"
              onClick={() => {
                change({ ...group, joined: "or" });
                addTo([]);
              }}
            >
              + or…
            </button>
          </>
        )}
      </div>
      {clause?.kind === "text" ? (
        <p className="soft small">This part says more than the picker can show. Edit it as text.</p>
      ) : (
        subject && (
          <ClausePicker
            key={`${current}|${String(turn)}`}
            model={model}
            subject={subject}
            clause={clause}
            replace={replace}
            attributes={attributes}
            viewerValues={viewerValues}
          />
        )
      )}
    </>
  );
}

type LinesProps = {
  group: Group;
  path: Path;
  own: string | null;
  selected: Path | null;
  within: Path;
  select: (path: Path) => void;
  change: (path: Path, part: Group | null) => void;
  addTo: (path: Path) => void;
  addGroup: (path: Path) => void;
};

/** A group as lines: how its parts are joined, each part, and what can be added to it. */
function GroupLines({ group, path, own, selected, within, select, change, addTo, addGroup }: LinesProps) {
  const parts = group.parts ?? [];
  const word = group.negated ? (group.joined === "and" ? "not all" : "none") : group.joined === "and" ? "all" : "any";
  return (
    <div className={`clause-group ${within.join() === path.join() ? "here" : ""}`}>
      <div className="row small">
        <Select
          showSearch
          optionFilterProp="label"
          size="small"
          variant="filled"
          aria-label="How these are joined"
          value={word}
          popupMatchSelectWidth={false}
          onChange={(next) =>
            change(path, {
              ...group,
              joined: next === "all" || next === "not all" ? "and" : "or",
              negated: next === "not all" || next === "none",
            })
          }
          options={[
            { value: "all", label: "all of" },
            { value: "any", label: "any of" },
            { value: "not all", label: "not all of" },
            { value: "none", label: "none of" },
          ]}
        />
        <span className="grow" />
        <button type="button" className="textlink" onClick={() => addTo(path)}>
          + clause
        </button>
        <button type="button" className="textlink" onClick={() => addGroup(path)}>
          + group
        </button>
        {path.length > 0 && (
          <button type="button" className="plain soft" aria-label="Take the group out" onClick={() => change(path, null)}>
            ×
          </button>
        )}
      </div>
      {parts.map((part, index) => {
        const place = [...path, index];
        if (isGroup(part)) {
          return (
            <Fragment key={index}>
              {index > 0 && <div className="clause-word">{group.joined}</div>}
              <GroupLines
                group={part}
                path={place}
                own={own}
                selected={selected}
                within={within}
                select={select}
                change={change}
                addTo={addTo}
                addGroup={addGroup}
              />
            </Fragment>
          );
        }
        return (
          <Fragment key={index}>
            {index > 0 && <div className="clause-word">{group.joined}</div>}
            <div className={`clause-line ${selected?.join() === place.join() ? "on" : ""}`}>
              <button type="button" className="plain grow" aria-pressed={selected?.join() === place.join()} onClick={() => select(place)}>
                <ClauseWords clause={part} own={own} />
              </button>
              <button type="button" className="plain soft sign" aria-label="Take the clause out" onClick={() => change(place, null)}>
                ×
              </button>
            </div>
          </Fragment>
        );
      })}
      {parts.length === 0 && <p className="soft small">Nothing in this group yet: choose a column below.</p>}
    </div>
  );
}
