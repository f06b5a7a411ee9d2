import { useMutation, useQueryClient } from "@tanstack/react-query";
import { App, Button, Input, Modal } from "antd";
import { useEffect, useState } from "react";
import { useNavigate } from "react-router-dom";
import { ApiError, api, data, type ModelAnswer, type Role, type RoleEntry, type Sentence } from "../../api/client";
import { usePeople } from "../../app/Tray";
import { useWorkbench } from "../../app/workbench";
import { Notice } from "../../ui/Notice";
import type { useEffectOf } from "./EffectPanel";
import { Holders, Mapping } from "./Mapping";
import { SentenceCard } from "./SentenceCard";
import type { RoleEdits } from "./useRoleEdits";
import { useViewerValues } from "./useViewerValues";

type Props = { entry: RoleEntry; role: Role; edits: RoleEdits; model: ModelAnswer | undefined; effect: ReturnType<typeof useEffectOf> };

/** A role as sentences, edited in place; saved into the draft. */
export function RoleEditor({ entry, role, edits, model, effect }: Props) {
  const name = entry.role.name;
  const client = useQueryClient();
  const navigate = useNavigate();
  const { message, modal } = App.useApp();
  const bench = useWorkbench();
  const people = usePeople();
  const viewerValues = useViewerValues(bench.pins[bench.focus - 1] ?? bench.pins[0]);
  const [open, setOpen] = useState<number | null>(null);
  const [naming, setNaming] = useState(false);
  const edit = edits.get(name);
  const sentences = role.sentences ?? [];
  const change = (next: Role) => edits.change(name, entry.version, entry.role, next);
  const changeSentence = (place: number, sentence: Sentence) =>
    change({ ...role, sentences: sentences.map((item, index) => (index === place ? sentence : item)) });
  const add = (sentence: Sentence) => {
    change({ ...role, sentences: [...sentences, sentence] });
    setOpen(sentences.length);
  };
  const refresh = () =>
    Promise.all(["roles", "state", "effect", "pages", "pending", "people"].map((key) => client.invalidateQueries({ queryKey: [key] })));

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

  const blank = sentences.some((sentence) => sentence.rows && sentence.rows.where.trim() === "");
  const problems = dirtyProblems(effect.data?.problems ?? [], edit !== undefined);
  const savable = edit !== undefined && !blank && problems.length === 0 && !save.isPending;
  const stale = edit !== undefined && edit.version !== entry.version;

  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      if (!(event.ctrlKey || event.metaKey)) return;
      const inText = event.target instanceof HTMLElement && (event.target.isContentEditable || event.target.tagName === "INPUT");
      if (event.key === "s") {
        event.preventDefault();
        if (savable && edit && !stale) save.mutate(edit.version);
      } else if (event.key === "z" && !inText) {
        event.preventDefault();
        if (event.shiftKey) edits.redo(name);
        else edits.undo(name);
      }
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  });

  const conflict = save.error instanceof ApiError && save.error.status === 409;
  return (
    <>
      <div className="row wrap" style={{ alignItems: "baseline" }}>
        <h2>{role.label ?? role.name}</h2>
        <span className="soft">
          <code>{role.name}</code> · {role.kind} · <Holders entry={entry} />
        </span>
        <span className="grow" />
        <button type="button" className="textlink small" onClick={() => setNaming(true)}>
          Rename and describe
        </button>
        <button
          type="button"
          className="textlink small warn"
          onClick={() =>
            modal.confirm({
              title: `Delete ${role.label ?? name} from the draft?`,
              content: `${entry.holders.length === 0 ? "Nobody holds it." : `${entry.holders.length} people hold it; they keep it until the next release.`} You can restore it until then.`,
              okText: "Delete in the draft",
              okButtonProps: { danger: true },
              onOk: () => remove.mutateAsync().catch(() => undefined),
            })
          }
        >
          Delete
        </button>
      </div>
      {role.about && <p className="soft">{role.about}</p>}
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

      <Group
        title="Rows"
        kinds={["rows", "entitlement", "members"]}
        sentences={sentences}
        render={card}
        none={role.kind === "grant" ? "No rows sentence: every row is open." : "No rows sentence: no row is taken away."}
      />
      <button
        type="button"
        className="textlink"
        onClick={() => {
          const tables = model?.document.tables ?? [];
          const fresh = tables.find((table) => !sentences.some((sentence) => sentence.rows?.table === table.name)) ?? tables[0];
          if (fresh) add({ rows: { table: fresh.name, where: "" } });
        }}
      >
        + rows
      </button>
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
      {!sentences.some((sentence) => sentence.objects) && (
        <button type="button" className="textlink" onClick={() => add({ objects: { default: "visible", hide: [], show: [] } })}>
          + objects
        </button>
      )}
      {sentences.some((sentence) => sentence.beneath ?? sentence.change) && (
        <Group title="Rows beneath and changes" kinds={["beneath", "change"]} sentences={sentences} render={card} none="" />
      )}
      <Group
        title="Pages"
        kinds={["pages"]}
        sentences={sentences}
        render={card}
        none={role.kind === "grant" ? "No pages sentence: this role opens no page." : "No pages sentence: no page is closed."}
      />
      <button type="button" className="textlink" onClick={() => add({ pages: { actions: ["open"], on: null, where: null } })}>
        + pages
      </button>
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
            ? "A rows sentence does not say which rows yet."
            : problems[0]
              ? problems[0].message
              : edit
                ? "Ctrl+S saves"
                : entry.changed
                  ? "Saved; not released yet."
                  : "Live as it stands."}
        </span>
      </div>
      {naming && <Describe role={role} onChange={change} close={() => setNaming(false)} />}
    </>
  );

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
        problem={problems.find((item) => item.path.startsWith(`sentences[${place}].`))}
        attributes={people.data?.attributes ?? []}
        viewerValues={viewerValues}
        objects={effect.data?.objects ?? null}
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
  return (
    <Modal
      open
      title="Rename and describe"
      okText="Apply"
      okButtonProps={{ disabled: name.trim() === "" }}
      onCancel={close}
      onOk={() => {
        onChange({ ...role, name: name.trim(), label: label.trim() || null, about: about.trim() || null, keeper: keeper.trim() || null });
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
      <p className="soft small">Mappings follow a renamed role. The change is saved with the role.</p>
    </Modal>
  );
}
