import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button, Modal } from "antd";
import { useState } from "react";
import { useNavigate } from "react-router-dom";
import { api, data, type Schemas } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { Notice } from "../../ui/Notice";
import { ownPageEdits } from "../../ui/unsavedEdits";
import { when } from "../../ui/when";
import { OwnPageVersions } from "./OwnPageVersions";

/** Who sees a page of one's own, and what may be done with it. */
export function OwnPageBar({ name, editing = false, unsaved = false }: { name: string; editing?: boolean; unsaved?: boolean }) {
  const changed = useChanged();
  const navigate = useNavigate();
  const { message } = App.useApp();
  const [asking, setAsking] = useState<"publish" | "delete" | "versions" | null>(null);
  const writing = useQuery(queries.myWriting(name));
  const page = writing.data;
  const publish = useMutation({
    mutationFn: (published: boolean) =>
      data(
        api.POST("/api/my/making/{page}/publishing", {
          params: { path: { page: name } },
          body: { published, version: page?.version ?? 0 },
        }),
      ),
    onSuccess: async (now) => {
      setAsking(null);
      await changed("pages");
      message.success(now.published_at ? `Published on ${now.shelf_label}.` : "Taken back: you alone see it.");
    },
  });
  const remove = useMutation({
    mutationFn: () =>
      data(api.DELETE("/api/my/making/{page}", { params: { path: { page: name }, query: { version: page?.version ?? 0 } } })),
    onSuccess: async () => {
      ownPageEdits.discard(name);
      await changed("pages");
      message.success("The page is deleted.");
      navigate("/my");
    },
  });
  if (!page) return writing.isError ? <Notice kind="bad">{writing.error.message}</Notice> : null;
  return (
    <div className="row wrap small own-bar" data-testid="own-bar">
      <span className="soft">{inWords(page)}</span>
      <span className="grow" />
      {!editing && page.may_edit && (
        <Button size="small" type="primary" onClick={() => navigate(`/my/${encodeURIComponent(name)}/edit`)}>
          Edit
        </Button>
      )}
      {editing && (
        <Button size="small" onClick={() => navigate(`/my/${encodeURIComponent(name)}`)}>
          Look at it
        </Button>
      )}
      {page.may_publish && (!page.published_at || page.changed) && (
        <Button size="small" disabled={unsaved} title={unsaved ? "Save first" : undefined} onClick={() => setAsking("publish")}>
          {page.published_at ? "Publish the changes…" : "Publish…"}
        </Button>
      )}
      {page.published_at && (
        <Button size="small" loading={publish.isPending && asking === null} onClick={() => publish.mutate(false)}>
          Take back
        </Button>
      )}
      <Button size="small" onClick={() => setAsking("versions")}>
        Versions
      </Button>
      <Button size="small" danger onClick={() => setAsking("delete")}>
        Delete…
      </Button>
      {publish.isError && asking === null && <Notice kind="bad">{publish.error.message}</Notice>}
      <Modal
        open={asking === "publish"}
        title={`Publish on ${page.shelf_label}?`}
        okText="Publish"
        okButtonProps={{ loading: publish.isPending }}
        onOk={() => publish.mutate(true)}
        onCancel={() => {
          setAsking(null);
          publish.reset();
        }}
      >
        <p>
          Whoever may open the pages on this shelf sees it at once, each by their own roles: figures are theirs, and what does not exist for
          them is not shown.
        </p>
        <p className="soft">
          An exhibit with a filter is shown only to readers for whom the values it names exist. Titles are shown as you wrote them.
        </p>
        {publish.isError && <Notice kind="bad">{publish.error.message}</Notice>}
      </Modal>
      <Modal
        open={asking === "delete"}
        title={`Delete ${page.text.label}?`}
        okText="Delete the page"
        okButtonProps={{ danger: true, loading: remove.isPending }}
        onOk={() => remove.mutate()}
        onCancel={() => {
          setAsking(null);
          remove.reset();
        }}
      >
        <p>
          {page.published_at
            ? "It disappears from the shelf for everybody, and its versions with it."
            : "You alone see it. Its versions go with it."}
        </p>
        {remove.isError && <Notice kind="bad">{remove.error.message}</Notice>}
      </Modal>
      {asking === "versions" && <OwnPageVersions page={page} close={() => setAsking(null)} />}
    </div>
  );
}

function inWords(page: Schemas["OwnPageWriting"]): string {
  if (!page.published_at) return `On ${page.shelf_label}, not published: you alone see it.`;
  const since = `Published on ${page.shelf_label} on ${when(page.published_at)}`;
  return page.changed ? `${since}; others see it as it was then, your changes are not published.` : `${since}.`;
}
