import { useMutation } from "@tanstack/react-query";
import { App, Button, Input, Modal } from "antd";
import { useMemo, useState } from "react";
import { useNavigate } from "react-router-dom";
import { ApiError, api, data, type ModelAnswer, type Role, type RoleEntry, type Sentence } from "../../api/client";
import { useChanged } from "../../api/queries";
import { usePeople } from "../../state/directory";
import { useEditKeys } from "../../state/keys";
import { useWorkbench } from "../../state/workbench";
import { MenuButton } from "../../ui/MenuButton";
import { Notice } from "../../ui/Notice";
import { type Kind, kindOf, unfinished } from "../../ui/sentences/sentence";
import type { RoleEdits } from "../../ui/unsavedEdits";
import { CompareLive } from "./CompareLive";
import { Holders } from "./Holders";
import { Mapping } from "./Mapping";
import { opensOf } from "./opens";
import { SentenceCard } from "./SentenceCard";
import { UsedWhere, useUses } from "./UsedWhere";
import { type EffectQuery, useRedundant } from "./useEffectOf";
import { useViewerValues } from "./useViewerValues";

type Props = { entry: RoleEntry; role: Role; edits: RoleEdits; model: ModelAnswer | undefined; effect: EffectQuery };

/** A role as sentences, edited in place; saved into the draft. */
export function RoleEditor({ entry, role, edits, model, effect }: Props) {
  const name = entry.role.name;
  const changed = useChanged();
  const navigate = useNavigate();
  const { message } = App.useApp();
  const bench = useWorkbench();
  const people = usePeople();
  const viewerValues = useViewerValues(bench.pins[bench.focus - 1] ?? bench.pins[0]);
  const [open, setOpen] = useState<number | null>(null);
  const [dialog, setDialog] = useState<"describe" | "live" | "uses" | "delete" | null>(null);
  const edit = edits.get(name);
  const sentences = role.sentences ?? [];
  const change = (next: Role) => edits.change(name, entry.version, entry.role, next);
  const changeSentence = (place: number, sentence: Sentence) =>
    change({ ...role, sentences: sentences.map((item, index) => (index === place ? sentence : item)) });
  const add = (sentence: Sentence) => {
    change({ ...role, sentences: [...sentences, sentence] });
    setOpen(sentences.length);
  };
  const refresh = () => changed("roles");
  const redundant = useRedundant(useMemo(() => ({ ...role, name }), [role, name]));

  const save = useMutation({
    mutationFn: (version: number) =>
      data(api.PUT("/api/roles/{name}", { params: { path: { name } }, body: { role: { ...role, assigned: [] }, version } })),
    onSuccess: async (saved) => {
      edits.discard(name);
      await refresh();
      message.success("Saved in the draft. Viewers get it with the next release.");
      if (saved.role.name !== name) navigate(`/roles/${encodeURIComponent(saved.role.name)}`, { replace: true });
    },
    onError: (error) => error instanceof ApiError && [404, 409].includes(error.status) && refresh(),
  });
  const remove = useMutation({
    mutationFn: () => data(api.DELETE("/api/roles/{name}", { params: { path: { name }, query: { version: entry.version } } })),
    onSuccess: async () => {
      edits.discard(name);
      await refresh();
      message.success(`${role.label ?? name} is deleted in the draft.`);
      navigate("/roles");
    },
    onError: (error) => message.error(error.message),
  });

  const narrowed = sentences.some((sentence) => !sentence.off && (sentence.rows || sentence.entitlement || sentence.members));
  const opensAll = role.kind === "grant" && !narrowed;
  const blank = sentences.map(unfinished).find((missing) => missing !== null) ?? null;
  const problems = dirtyProblems(effect.data?.problems ?? [], edit !== undefined);
  const savable = edit !== undefined && !blank && problems.length === 0 && !save.isPending;
  const stale = edit !== undefined && edit.version !== entry.version;

  useEditKeys({
    save: savable && edit && !stale ? () => save.mutate(edit.version) : null,
    undo: () => edits.undo(name),
    redo: () => edits.redo(name),
  });

  const conflict = save.error instanceof ApiError && save.error.status === 409;
  return (
    <>
      <div className="row wrap on-baseline">
        <h2>{role.label ?? role.name}</h2>
        <span className="soft">
          <code>{role.name}</code> · {role.kind} · <Holders entry={entry} />
        </span>
        <span className="grow" />
        <MenuButton
          className="menu-button"
          label="Role actions"
          menu={() => ({
            items: [
              { key: "describe", label: "Rename and describe", onClick: () => setDialog("describe") },
              { key: "live", label: "Compare with live", onClick: () => setDialog("live") },
              { key: "uses", label: "Where it is used", onClick: () => setDialog("uses") },
              { key: "combine", label: "Combine with others", onClick: () => navigate(`/combine?roles=${encodeURIComponent(name)}`) },
              { key: "delete", label: "Delete", danger: true, onClick: () => setDialog("delete") },
            ],
          })}
        />
      </div>
      {role.about && <p className="soft">{role.about}</p>}
      {(role.keeper || role.reason) && (
        <p className="soft small">
          {role.keeper && <>Kept by {role.keeper}. </>}
          {role.reason && <>Because: {role.reason}</>}
        </p>
      )}
      {(stale || conflict) && (
        <Notice kind="bad">
          Somebody saved this role while you were editing it. Your edit is kept here.{" "}
          <button
            type="button"
            className="textlink"
            onClick={async () => {
              save.reset();
              await refresh();
              edits.rebase(name, entry.version);
            }}
          >
            Keep my version
          </button>{" "}
          (the next save replaces theirs) or{" "}
          <button
            type="button"
            className="textlink"
            onClick={() => {
              save.reset();
              edits.discard(name);
              void refresh();
            }}
          >
            take theirs
          </button>
          .
          <details>
            <summary className="small">What they saved</summary>
            <ul className="small mono">
              {(entry.role.sentences ?? []).map((sentence) => (
                <li key={JSON.stringify(sentence)}>
                  {sentence.rows ? `${sentence.rows.table}: ${sentence.rows.where}` : JSON.stringify(withoutEmpty(sentence))}
                </li>
              ))}
            </ul>
          </details>
        </Notice>
      )}
      {save.isError && !conflict && <Notice kind="bad">{save.error.message}</Notice>}

      {!role.model && <p className="soft">A role of pages only: it opens no data. What its pages show, other roles decide.</p>}
      {role.model && (
        <>
          <Group
            title="Rows"
            kinds={["rows", "entitlement", "members"]}
            sentences={sentences}
            render={card}
            none={role.kind === "grant" ? "No rows sentence." : "No rows sentence: no row is taken away."}
          />
          {opensAll && model && (
            <Notice kind="careful">
              No sentence narrows the rows: this role opens all of {model.document.label ?? model.document.name}, {opensOf(model)}.
            </Notice>
          )}
          <Adders kinds={["rows", "entitlement", "members"]} start={start} />
          <Group
            title={sentences.some((sentence) => sentence.mask) ? "Objects and masks" : "Objects"}
            kinds={["objects", "mask"]}
            sentences={sentences}
            render={card}
            none={
              role.kind === "grant"
                ? "No objects sentence: every table, column and measure is open."
                : "No objects sentence: no object is taken away."
            }
          />
          <Adders kinds={sentences.some((sentence) => sentence.objects) ? ["mask"] : ["objects", "mask"]} start={start} />
          <Group
            title="Rows beneath and changes"
            kinds={["beneath", "change"]}
            sentences={sentences}
            render={card}
            none={
              role.kind === "grant" ? "Up to 1,000 rows under a number, no export; nothing may be changed." : "Nothing is narrowed here."
            }
          />
          <Adders kinds={["beneath", "change"]} start={start} />
        </>
      )}
      <Group
        title="Pages"
        kinds={["pages"]}
        sentences={sentences}
        render={card}
        none={role.kind === "grant" ? "No pages sentence: this role opens no page." : "No pages sentence: no page is closed."}
      />
      <Adders kinds={["pages"]} start={start} />
      <Mapping entry={entry} />

      <div className="row save-bar">
        <Button type="primary" disabled={!savable || stale} loading={save.isPending} onClick={() => edit && save.mutate(edit.version)}>
          Save in the draft
        </Button>
        <Button disabled={!edit?.past.length} onClick={() => edits.undo(name)}>
          Undo
        </Button>
        <Button disabled={!edit?.future.length} onClick={() => edits.redo(name)}>
          Redo
        </Button>
        <Button
          type="text"
          disabled={!edit}
          onClick={() => {
            edits.discard(name);
            setOpen(null);
          }}
        >
          Discard
        </Button>
        <span className="soft small">
          {blank
            ? blank
            : problems[0]
              ? problems[0].message
              : edit
                ? "Ctrl+S saves"
                : entry.changed
                  ? "Saved; not released yet."
                  : "Live as it stands."}
        </span>
        <span className="grow" />
        {entry.released && (entry.changed || edit) && (
          <button type="button" className="textlink small" onClick={() => setDialog("live")}>
            Compare with live
          </button>
        )}
      </div>
      {dialog === "describe" && <Describe role={role} onChange={change} close={() => setDialog(null)} />}
      {dialog === "live" && <CompareLive entry={entry} role={role} onChange={change} close={() => setDialog(null)} />}
      {dialog === "uses" && <UsedWhere entry={entry} close={() => setDialog(null)} />}
      {dialog === "delete" && (
        <DeleteRole
          entry={entry}
          title={role.label ?? name}
          remove={() => remove.mutateAsync().catch(() => undefined)}
          close={() => setDialog(null)}
        />
      )}
    </>
  );

  function start(kind: Kind) {
    const tables = model?.document.tables ?? [];
    const table = tables.find((item) => !sentences.some((sentence) => sentence.rows?.table === item.name))?.name ?? tables[0]?.name ?? "";
    const own = tables.find((item) => !item.alias_of)?.name ?? "";
    const begun: Record<Kind, Sentence> = {
      rows: { rows: { table, where: "" } },
      entitlement: { entitlement: { table: own, through: "", person: "", person_is: "login", match: {} } },
      members: { members: { hierarchy: model?.document.hierarchies?.[0]?.name ?? "", unlisted: "hidden", list: [], totals: "own" } },
      objects: { objects: { default: "visible", hide: [], show: [] } },
      mask: { mask: { column: "", with: "withhold", in_totals: "no" } },
      beneath: { beneath: { tables: [], rows: true } },
      change: { change: { table: own } },
      // Nothing is chosen at first: “any page” is said, never assumed.
      pages: { pages: { actions: ["open"], on: [], where: null } },
    };
    add(begun[kind]);
  }

  function move(place: number, by: -1 | 1) {
    const family = FAMILIES.find((kinds) => kinds.includes(kindOf(sentences[place] as Sentence))) ?? [];
    const others = sentences.map((_, index) => index).filter((index) => family.includes(kindOf(sentences[index] as Sentence)));
    const to = others[others.indexOf(place) + by];
    if (to === undefined) return;
    const next = [...sentences];
    [next[place], next[to]] = [next[to] as Sentence, next[place] as Sentence];
    setOpen(null);
    change({ ...role, sentences: next });
  }

  function card(sentence: Sentence, place: number) {
    return (
      <SentenceCard
        key={place}
        role={role}
        sentence={sentence}
        place={place}
        model={model}
        open={open === place}
        onOpen={(on) => setOpen(on ? place : null)}
        onChange={(next) => changeSentence(place, next)}
        onRemove={() => {
          setOpen(null);
          change({ ...role, sentences: sentences.filter((_, index) => index !== place) });
        }}
        onCopy={() => {
          change({ ...role, sentences: [...sentences.slice(0, place + 1), sentence, ...sentences.slice(place + 1)] });
          setOpen(place + 1);
        }}
        onMove={sentences.length > 1 ? (by) => move(place, by) : null}
        redundant={redundant.get(place) ?? null}
        problem={problems.find((item) => item.path.startsWith(`sentences[${place}].`))}
        attributes={people.data?.attributes ?? []}
        viewerValues={viewerValues}
        effect={effect.data}
        changeRole={(next) => change({ ...role, sentences: next })}
      />
    );
  }
}

function dirtyProblems<T>(problems: T[], dirty: boolean): T[] {
  return dirty ? problems : [];
}

function withoutEmpty(sentence: Sentence): object {
  return Object.fromEntries(Object.entries(sentence).filter(([, value]) => value !== null));
}

const FAMILIES: Kind[][] = [["rows", "entitlement", "members"], ["objects", "mask"], ["beneath", "change"], ["pages"]];

function Adders({ kinds, start }: { kinds: Kind[]; start: (kind: Kind) => void }) {
  return (
    <div className="row gap-16">
      {kinds.map((kind) => (
        <button key={kind} type="button" className="textlink" onClick={() => start(kind)}>
          + {kind}
        </button>
      ))}
    </div>
  );
}

/** Deleting a role says who holds it and what names it first. */
function DeleteRole({
  entry,
  title,
  remove,
  close,
}: {
  entry: RoleEntry;
  title: string;
  remove: () => Promise<unknown>;
  close: () => void;
}) {
  const uses = useUses(entry.role.name, true);
  return (
    <Modal
      open
      title={`Delete ${title} from the draft?`}
      okText="Delete in the draft"
      okButtonProps={{ danger: true }}
      onCancel={close}
      onOk={() => remove().then(close)}
    >
      <p>
        {entry.people === 0 ? "Nobody holds it." : `${entry.people} people hold it; they keep it until the next release.`} You can restore
        it until then.
      </p>
      {(uses.data?.uses.length ?? 0) > 0 && (
        <>
          <p>It is named in:</p>
          <ul>
            {uses.data?.uses.map((use) => (
              <li key={use.place}>{use.place}</li>
            ))}
          </ul>
        </>
      )}
    </Modal>
  );
}

type GroupProps = {
  title: string;
  kinds: (keyof Sentence)[];
  sentences: Sentence[];
  render: (sentence: Sentence, place: number) => React.ReactNode;
  none: string;
};

function Group({ title, kinds, sentences, render, none }: GroupProps) {
  const here = sentences.map((sentence, place) => ({ sentence, place })).filter(({ sentence }) => kinds.some((kind) => sentence[kind]));
  return (
    <>
      <h3>{title}</h3>
      {here.map(({ sentence, place }) => render(sentence, place))}
      {here.length === 0 && <p className="soft small">{none}</p>}
    </>
  );
}

function Describe({ role, onChange, close }: { role: Role; onChange: (role: Role) => void; close: () => void }) {
  const [label, setLabel] = useState(role.label ?? "");
  const [name, setName] = useState(role.name);
  const [about, setAbout] = useState(role.about ?? "");
  const [keeper, setKeeper] = useState(role.keeper ?? "");
  const [reason, setReason] = useState(role.reason ?? "");
  return (
    <Modal
      open
      title="Rename and describe"
      okText="Apply"
      okButtonProps={{ disabled: name.trim() === "" }}
      onCancel={close}
      onOk={() => {
        onChange({
          ...role,
          name: name.trim(),
          label: label.trim() || null,
          about: about.trim() || null,
          keeper: keeper.trim() || null,
          reason: reason.trim() || null,
        });
        close();
      }}
    >
      <label htmlFor="role-label">What people call it</label>
      <Input id="role-label" value={label} onChange={(event) => setLabel(event.target.value)} />
      <label htmlFor="role-name">Name</label>
      <Input id="role-name" className="mono" value={name} onChange={(event) => setName(event.target.value)} />
      <label htmlFor="role-about">What it is for</label>
      <Input.TextArea id="role-about" value={about} onChange={(event) => setAbout(event.target.value)} autoSize={{ minRows: 2 }} />
      <label htmlFor="role-keeper">Who answers for it</label>
      <Input id="role-keeper" value={keeper} onChange={(event) => setKeeper(event.target.value)} />
      <label htmlFor="role-reason">Why it is there</label>
      <Input id="role-reason" value={reason} onChange={(event) => setReason(event.target.value)} />
      <p className="soft small">Mappings, and conditions that name it, follow a renamed role. The change is saved with the role.</p>
    </Modal>
  );
}
