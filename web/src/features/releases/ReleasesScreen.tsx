import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { queries } from "../../api/queries";
import { plural } from "../../ui/figures";
import { Impact } from "../../ui/Impact";
import { Notice } from "../../ui/Notice";
import { AskedRelease } from "./AskedRelease";
import { Changes } from "./Changes";
import { Guards } from "./Guards";
import { History } from "./History";
import { ReleaseNow } from "./ReleaseNow";
import "./releases.css";

/** The draft against live: what was edited, who gains and loses, release of all or of chosen changes; and the history. */
export default function ReleasesScreen() {
  const [left, setLeft] = useState<string[]>([]);
  const all = useQuery(queries.pending());
  const changes = all.data?.changes ?? [];
  const chosen = changes.filter((change) => !left.includes(keyOf(change)));
  const part = chosen.length < changes.length;
  const some = useQuery({
    ...queries.pendingChosen({ chosen: chosen.map(({ kind, name }) => ({ kind, name })) }),
    enabled: part && chosen.length > 0,
  });
  const review = part ? some : all;
  const draft = part ? some.data : all.data;
  const choose = (key: string, on: boolean) => setLeft(on ? left.filter((item) => item !== key) : [...left, key]);
  return (
    <div className="pad most-980">
      <h2>The draft against live</h2>
      {all.isPending && <p className="soft">Working out what changes and for whom…</p>}
      {all.isError && <Notice kind="bad">{all.error.message}</Notice>}
      {all.data?.asked && <AskedRelease asked={all.data.asked} />}
      {all.data && changes.length === 0 && (
        <p className="soft" data-testid="nothing-pending">
          The draft is the same as release {all.data.live ?? "–"}. Edit a role, and it shows up here.
        </p>
      )}
      {changes.length > 0 && (
        <>
          <h3>
            {part ? `${chosen.length} of ` : ""}
            {plural(changes.length, "change")}
          </h3>
          <Changes
            changes={changes}
            chosen={(change) => !left.includes(keyOf(change))}
            choose={(change, on) => choose(keyOf(change), on)}
          />
          {part && chosen.length === 0 && <p className="soft">Nothing is chosen. Choose a change to see what its release would do.</p>}
          {part && some.isError && <Notice kind="bad">{some.error.message}</Notice>}
          {part && some.isFetching && <p className="soft">Working out what the chosen changes do…</p>}
          {draft && chosen.length > 0 && !review.isError && (
            <>
              <h3>Who gains and who loses</h3>
              <Impact groups={draft.viewers} />
              <ReleaseNow draft={draft} chosen={part ? chosen.map(({ kind, name }) => ({ kind, name })) : null} done={() => setLeft([])} />
            </>
          )}
        </>
      )}
      <Guards />
      <History />
    </div>
  );
}

function keyOf(change: { kind: string; name: string }): string {
  return `${change.kind}/${change.name}`;
}
