import { useMutation } from "@tanstack/react-query";
import { App, Button, Input } from "antd";
import { useState } from "react";
import { Link } from "react-router-dom";
import { api, data, type Schemas } from "../../api/client";
import { useChanged } from "../../api/queries";
import { plural } from "../../ui/figures";
import { Notice } from "../../ui/Notice";

/** Releases what was reviewed, or asks a second person for it where one has to approve. */
export function ReleaseNow({
  draft,
  chosen,
  done,
}: {
  draft: Schemas["PendingAnswer"];
  chosen: Schemas["ChosenChange"][] | null;
  done: () => void;
}) {
  const changed = useChanged();
  const { message } = App.useApp();
  const [note, setNote] = useState("");
  const [override, setOverride] = useState("");
  const body = { hash: draft.hash, note, override, chosen };
  const finished = async (told: string) => {
    setNote("");
    setOverride("");
    done();
    await changed();
    message.success(told);
  };
  const release = useMutation({
    mutationFn: () => data(api.POST("/api/releases", { body })),
    onSuccess: (made) => finished(`Release ${made.number} is live.`),
    onError: () => changed("release"),
  });
  const ask = useMutation({
    mutationFn: () => data(api.POST("/api/releases/asked", { body })),
    onSuccess: () => finished("Asked. Somebody else who may release can approve it now."),
    onError: () => changed("release"),
  });
  const error = release.error ?? ask.error;
  const unexplained = draft.broken.length > 0 && override.trim() === "";
  return (
    <>
      {error && <Notice kind="bad">{error.message}</Notice>}
      {draft.broken.length > 0 && (
        <div data-testid="broken-promises">
          <Notice kind="bad">
            <b>{plural(draft.broken.length, "promise")} broken</b>, and in the way of this release:
            <ul>
              {draft.broken.map((item) => (
                <li key={item.name}>
                  {item.label}
                  {item.message && <span className="soft"> — {item.message}</span>}
                </li>
              ))}
            </ul>
            <Link to="/checks/promises">Look at the promises</Link>, or say why it is released all the same:
          </Notice>
          <Input
            aria-label="Why it is released all the same"
            placeholder="Why it is released all the same"
            className="most-420"
            value={override}
            onChange={(event) => setOverride(event.target.value)}
          />
        </div>
      )}
      <div className="row above-12">
        <Input
          aria-label="What this release is for"
          placeholder="What this release is for"
          value={note}
          onChange={(event) => setNote(event.target.value)}
          className="most-420"
        />
        {draft.second ? (
          <>
            <Button type="primary" loading={ask.isPending} disabled={unexplained} onClick={() => ask.mutate()}>
              Ask for this release
            </Button>
            <span className="soft small">A second person approves it, just as it is.</span>
          </>
        ) : (
          <>
            <Button type="primary" loading={release.isPending} disabled={unexplained} onClick={() => release.mutate()}>
              Release now
            </Button>
            <span className="soft small">Viewers get it at once.</span>
          </>
        )}
      </div>
    </>
  );
}
