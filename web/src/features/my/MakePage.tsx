import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button, Input, Select } from "antd";
import { useMemo, useState } from "react";
import { ApiError, api, data, type Schemas } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { useEditKeys } from "../../state/keys";
import { ConditionSourceContext } from "../../ui/conditions/source";
import { buildableOfOwn } from "../../ui/exhibits/buildable";
import { EditNotices, SaveBar } from "../../ui/exhibits/Editing";
import { ExhibitSide, ExhibitSlots } from "../../ui/exhibits/ExhibitsEditor";
import { Notice } from "../../ui/Notice";
import { Framed } from "../../ui/PageView";
import { useUnsaved } from "../../ui/unsaved";
import { ownPageEdits } from "../../ui/unsavedEdits";
import { useDelayed } from "../../ui/useDelayed";
import { OwnPageBar } from "./OwnPageBar";

type Exhibit = Schemas["Exhibit"];
type Text = Schemas["ReaderPageText"];

/** A page of one's own being written, from what exists for oneself, with its data at once. */
export function MakePage({ name }: { name: string }) {
  const changed = useChanged();
  const { message } = App.useApp();
  const edits = useUnsaved(ownPageEdits);
  const writing = useQuery(queries.myWriting(name));
  const models = useQuery(queries.myModels());
  const edit = edits.get(name);
  const text = edit?.now ?? writing.data?.text;
  const [chosen, setChosen] = useState<number | null>(null);
  const model = models.data?.models.find((item) => item.name === text?.model);
  const built = useMemo(() => model && buildableOfOwn(model), [model]);
  const version = writing.data?.version ?? 0;
  const stale = edit !== undefined && writing.data !== undefined && edit.version !== version;
  const save = useMutation({
    mutationFn: (body: Schemas["OwnPageSave"]) => data(api.PUT("/api/my/making/{page}", { params: { path: { page: name } }, body })),
    onSuccess: async () => {
      await changed("pages");
      edits.discard(name);
      message.success("Saved.");
    },
    onError: (error) => error instanceof ApiError && error.status === 409 && changed("pages"),
  });
  const mayEdit = writing.data?.may_edit ?? false;
  const send = () => {
    if (text && edit) save.mutate({ text, version: edit.version });
  };
  useEditKeys({ save: edit && !stale && mayEdit ? send : null, undo: () => edits.undo(name), redo: () => edits.redo(name) });
  if (writing.isError) return <Notice kind="bad">{writing.error.message}</Notice>;
  if (!writing.data || !text) return null;
  const change = (next: Text) => edits.change(name, version, writing.data.text, next);
  const exhibits = text.exhibits ?? [];
  const setExhibits = (next: Exhibit[]) => change({ ...text, exhibits: next });
  const only = models.data?.models.length === 1 ? models.data.models[0] : undefined;
  return (
    <ConditionSourceContext.Provider value="own">
      <div className="page-editor">
        <div className="scroll">
          <div className="row wrap">
            <h1>{text.label}</h1>
            {edit && <span className="state-mark small">unsaved</span>}
          </div>
          <OwnPageBar name={name} editing unsaved={edit !== undefined} />
          <EditNotices stale={stale} error={save.error} keep={() => edits.rebase(name, version)} discard={() => edits.discard(name)} />
          {!mayEdit && <Notice kind="careful">Your roles let you look at this page and take it back, but not change it.</Notice>}
          {text.model && models.data && !model && (
            <Notice kind="careful">What this page was built from does not exist for you any more.</Notice>
          )}
          {!text.model && (
            <div className="first-step">
              <p>What is it about? The page shows what you see of it.</p>
              <div className="row wrap">
                {models.data?.models.map((item) => (
                  <Button
                    key={item.name}
                    type={item === only ? "primary" : "default"}
                    disabled={!mayEdit}
                    onClick={() => change({ ...text, model: item.name })}
                  >
                    {item.label}
                  </Button>
                ))}
              </div>
              {models.data?.models.length === 0 && (
                <p className="soft">No model exists for you yet: a page can be built once a role opens one.</p>
              )}
            </div>
          )}
          {text.model && (
            <ExhibitSlots
              model={mayEdit ? built : undefined}
              exhibits={exhibits}
              chosen={chosen}
              choose={setChosen}
              onChange={setExhibits}
              live={(exhibit, place) => <LiveExhibit model={text.model ?? ""} exhibit={exhibit} place={place} />}
            />
          )}
        </div>
        <aside>
          <fieldset disabled={!mayEdit} className="bare">
            <ExhibitSide model={built} exhibits={exhibits} chosen={chosen} choose={setChosen} onChange={setExhibits} own>
              <PageForm text={text} models={models.data?.models ?? []} onChange={change} />
            </ExhibitSide>
          </fieldset>
          <SaveBar
            edit={edit}
            label="Save"
            disabled={stale || !mayEdit}
            saving={save.isPending}
            save={send}
            undo={() => edits.undo(name)}
            redo={() => edits.redo(name)}
            discard={() => edits.discard(name)}
          />
        </aside>
      </div>
    </ConditionSourceContext.Provider>
  );
}

type FormProps = { text: Text; models: Schemas["OwnModel"][]; onChange: (text: Text) => void };

/** What the page is called, what it asks, and what its readers may narrow it by. */
function PageForm({ text, models, onChange }: FormProps) {
  const model = models.find((item) => item.name === text.model);
  const columns = (model?.tables ?? []).flatMap((table) => table.columns.map((column) => `${table.name}.${column.name}`));
  return (
    <div className="form exhibit-form">
      <label htmlFor="own-label">Title</label>
      <Input id="own-label" maxLength={200} value={text.label} onChange={(event) => onChange({ ...text, label: event.target.value })} />
      <span>Built from</span>
      <Select
        showSearch
        optionFilterProp="label"
        aria-label="Model of the page"
        placeholder="choose what it shows"
        value={text.model ?? undefined}
        disabled={(text.exhibits ?? []).length > 0}
        onChange={(next) => onChange({ ...text, model: next, filters: [] })}
        options={models.map((item) => ({ value: item.name, label: item.label }))}
      />
      <span>Narrowed by</span>
      <Select
        mode="multiple"
        aria-label="Columns to narrow by"
        placeholder="columns offered above the page"
        value={text.filters ?? []}
        onChange={(filters) => onChange({ ...text, filters })}
        optionFilterProp="label"
        options={columns.map((name) => ({ value: name, label: name }))}
      />
      <label htmlFor="own-about">What it is for</label>
      <Input.TextArea
        id="own-about"
        autoSize={{ minRows: 2 }}
        maxLength={2000}
        value={text.about ?? ""}
        onChange={(event) => onChange({ ...text, about: event.target.value || null })}
      />
    </div>
  );
}

/** An exhibit with its data, as its writer sees it; what is wrong with it stands in its place. */
function LiveExhibit({ model, exhibit, place }: { model: string; exhibit: Exhibit; place: number }) {
  const settled = useDelayed(exhibit, 150);
  const tried = useQuery({
    ...queries.myExhibit({ model, exhibit: settled }),
    enabled: model !== "" && settled.title.trim() !== "",
  });
  if (tried.data && !tried.isError) return <Framed entry={tried.data.answer} place={place} measures={tried.data.measures} />;
  return (
    <section className="exhibit unavailable">
      <h3>{exhibit.title || "Without a title"}</h3>
      <p className={tried.isError ? "warn small" : "soft"}>
        {tried.isError ? tried.error.message : exhibit.title.trim() === "" ? "Give it a title." : "Reading…"}
      </p>
    </section>
  );
}
