import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Modal } from "antd";
import { useMemo, useState } from "react";
import { useNavigate } from "react-router-dom";
import { ApiError, api, data, type PinnedViewer, type Schemas } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { useEditKeys } from "../../state/keys";
import { focusedViewer, useWorkbench } from "../../state/workbench";
import { buildableOf } from "../../ui/exhibits/buildable";
import { EditNotices, SaveBar } from "../../ui/exhibits/Editing";
import { ExhibitSide, ExhibitSlots } from "../../ui/exhibits/ExhibitsEditor";
import { Notice } from "../../ui/Notice";
import { Framed } from "../../ui/PageView";
import { useUnsaved } from "../../ui/unsaved";
import { pageEdits } from "../../ui/unsavedEdits";
import { useDelayed } from "../../ui/useDelayed";
import { PageProperties } from "./PageProperties";

type Page = Schemas["Page"];
type Exhibit = Schemas["Exhibit"];
type Props = { entry: Schemas["PageEntry"]; shelves: Schemas["ShelfEntry"][] };

/** A page being written: its exhibits on the grid with their data at once, the chosen one's form beside them. */
export function PageEditor({ entry, shelves }: Props) {
  const changed = useChanged();
  const navigate = useNavigate();
  const { message } = App.useApp();
  const bench = useWorkbench();
  const name = entry.page.name;
  const edits = useUnsaved(pageEdits);
  const edit = edits.get(name);
  const page = edit?.now ?? entry.page;
  const exhibits = page.exhibits ?? [];
  const [chosen, setChosen] = useState<number | null>(exhibits.length > 0 ? 0 : null);
  const [deleting, setDeleting] = useState(false);
  const model = useModelNamed(page.model ?? null);
  const viewer = focusedViewer(bench);
  const stale = edit !== undefined && edit.version !== entry.version;
  const save = useMutation({
    mutationFn: () =>
      data(api.PUT("/api/pages/{page}", { params: { path: { page: name } }, body: { page, version: edit?.version ?? entry.version } })),
    onSuccess: async () => {
      edits.discard(name);
      await changed("pages");
      message.success("Saved in the draft. Viewers get it with the next release.");
    },
    onError: (error) => error instanceof ApiError && error.status === 409 && changed("pages"),
  });
  const remove = useMutation({
    mutationFn: () => data(api.DELETE("/api/pages/{page}", { params: { path: { page: name }, query: { version: entry.version } } })),
    onSuccess: async () => {
      edits.discard(name);
      await changed("pages");
      message.success(`${entry.page.label ?? name} is deleted in the draft.`);
      navigate("/pages");
    },
  });
  useEditKeys({ save: edit && !stale ? () => save.mutate() : null, undo: () => edits.undo(name), redo: () => edits.redo(name) });
  const change = (next: Page) => edits.change(name, entry.version, entry.page, next);
  const setExhibits = (next: Exhibit[]) => change({ ...page, exhibits: next });
  const built = useMemo(() => (model.data ? buildableOf(model.data) : undefined), [model.data]);
  return (
    <div className="page-editor">
      <div className="scroll page-editor-grid">
        <div className="row wrap below-8">
          <h2>{page.label ?? page.name}</h2>
          <span className="soft small">
            <code>{page.name}</code>
          </span>
          {edit && <span className="state-mark small">draft, unsaved</span>}
        </div>
        <EditNotices stale={stale} error={save.error} keep={() => edits.rebase(name, entry.version)} discard={() => edits.discard(name)} />
        {!page.model && <Notice kind="careful">Choose the model on the right first: exhibits ask it.</Notice>}
        <ExhibitSlots
          model={built}
          exhibits={exhibits}
          chosen={chosen}
          choose={setChosen}
          onChange={setExhibits}
          live={(exhibit, place) => <LiveExhibit model={page.model ?? ""} exhibit={exhibit} viewer={viewer} place={place} />}
        />
      </div>
      <aside>
        <ExhibitSide model={built} exhibits={exhibits} chosen={chosen} choose={setChosen} onChange={setExhibits}>
          <PageProperties page={page} model={model.data} shelves={shelves} onChange={change} />
          <p className="above-14">
            <button type="button" className="textlink warn" onClick={() => setDeleting(true)}>
              Delete the page
            </button>
          </p>
        </ExhibitSide>
        <SaveBar
          edit={edit}
          label="Save in the draft"
          disabled={stale}
          saving={save.isPending}
          save={() => save.mutate()}
          undo={() => edits.undo(name)}
          redo={() => edits.redo(name)}
          discard={() => edits.discard(name)}
        />
      </aside>
      <Modal
        open={deleting}
        title={`Delete ${entry.page.label ?? name} from the draft?`}
        okText="Delete in the draft"
        okButtonProps={{ danger: true, loading: remove.isPending }}
        onOk={() => remove.mutate()}
        onCancel={() => {
          setDeleting(false);
          remove.reset();
        }}
      >
        <p>
          {entry.openers.length === 0
            ? "Nobody can open it."
            : `${entry.openers.length} people can open it; they keep it until the next release.`}
        </p>
        {remove.isError && <Notice kind="bad">{remove.error.message}</Notice>}
      </Modal>
    </div>
  );
}

/** An exhibit with its data, as the viewer in focus sees it; what is wrong with it stands in its place. */
function LiveExhibit({ model, exhibit, viewer, place }: { model: string; exhibit: Exhibit; viewer: PinnedViewer; place: number }) {
  const settled = useDelayed(exhibit, 150);
  const tried = useQuery({
    ...queries.exhibit({ model, exhibit: settled, viewers: [viewer] }),
    enabled: model !== "" && settled.title.trim() !== "",
  });
  const entry = tried.data?.answers[0];
  if (tried.isError || !entry) {
    return (
      <section className="exhibit unavailable">
        <h3>{exhibit.title || "Without a title"}</h3>
        <p className={tried.isError ? "warn small" : "soft"}>
          {tried.isError ? tried.error.message : exhibit.title.trim() === "" ? "Give it a title." : "Reading…"}
        </p>
      </section>
    );
  }
  return <Framed entry={entry} place={place} measures={tried.data?.measures ?? {}} />;
}

/** The draft's document of a model by its name. */
function useModelNamed(name: string | null) {
  return useQuery({ ...queries.model(name ?? "", "draft"), enabled: name !== null });
}
