import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button } from "antd";
import { useState } from "react";
import { api, data, type Schemas } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { useRights } from "../../state/rights";
import { plural } from "../../ui/figures";
import { Impact } from "../../ui/Impact";
import { Notice } from "../../ui/Notice";
import { when } from "../../ui/when";
import { Changes } from "./Changes";

/** A release somebody asked for: a second person looks at just that content, and approves or declines it. */
export function AskedRelease({ asked }: { asked: Schemas["AskedEntry"] }) {
  const { login } = useRights();
  const changed = useChanged();
  const { message } = App.useApp();
  const [open, setOpen] = useState(false);
  const own = asked.by === login;
  const content = useQuery({ ...queries.pendingChosen({ chosen: asked.chosen ?? null }), enabled: open && !asked.stale });
  const approve = useMutation({
    mutationFn: () => data(api.POST("/api/releases/asked/{number}", { params: { path: { number: asked.id } } })),
    onSuccess: async (made) => {
      await changed();
      message.success(`Release ${made.number} is live.`);
    },
    onError: () => changed("release"),
  });
  const decline = useMutation({
    mutationFn: () => data(api.DELETE("/api/releases/asked/{number}", { params: { path: { number: asked.id } } })),
    onSuccess: () => changed(),
    onError: (error) => message.error(error.message),
  });
  return (
    <section aria-label="A release that waits" className="asked-release">
      <Notice kind="careful">
        <b>{own ? "You" : asked.by} asked for a release</b> {when(asked.at)}
        {asked.note && <>: {asked.note}</>}.{" "}
        {own ? "Somebody else who may release has to approve it." : "Look at it, then approve or decline it."}
      </Notice>
      {asked.override && <p className="small">Released although promises are broken, because: {asked.override}</p>}
      {asked.stale && <Notice kind="bad">The content changed since. It has to be asked for again.</Notice>}
      {approve.isError && <Notice kind="bad">{approve.error.message}</Notice>}
      <div className="row above-4">
        {!asked.stale && (
          <Button aria-expanded={open} onClick={() => setOpen(!open)}>
            {open ? "Hide it" : "Look at it"}
          </Button>
        )}
        {!own && (
          <Button type="primary" disabled={asked.stale || !content.data} loading={approve.isPending} onClick={() => approve.mutate()}>
            Approve and release
          </Button>
        )}
        <Button loading={decline.isPending} onClick={() => decline.mutate()}>
          {own ? "Take it back" : "Decline"}
        </Button>
      </div>
      {open && content.isError && <Notice kind="bad">{content.error.message}</Notice>}
      {open && content.data && (
        <>
          <h3>{plural(content.data.changes.length, "change")}</h3>
          <Changes changes={content.data.changes} />
          <h3>Who gains and who loses</h3>
          <Impact groups={content.data.viewers} />
        </>
      )}
    </section>
  );
}
