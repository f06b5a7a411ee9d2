import { Button } from "antd";
import { ApiError } from "../../api/client";
import { Notice } from "../Notice";
import type { Unsaved } from "../unsaved";

type NoticesProps = {
  /** Somebody saved since the edit began. */
  stale: boolean;
  error: Error | null;
  keep: () => void;
  discard: () => void;
};

/** What stands in the way of saving: somebody else's save, or everything that is wrong. */
export function EditNotices({ stale, error, keep, discard }: NoticesProps) {
  const problems = error instanceof ApiError ? error.problems : [];
  if (stale) {
    return (
      <Notice kind="bad">
        Somebody saved this page while you were editing it. Your edit is kept here.{" "}
        <button type="button" className="textlink" onClick={keep}>
          Keep my version
        </button>{" "}
        (the next save replaces theirs) or{" "}
        <button type="button" className="textlink" onClick={discard}>
          take theirs
        </button>
        .
      </Notice>
    );
  }
  if (!error) return null;
  return (
    <Notice kind="bad">
      {error.message}
      {problems.length > 1 && (
        <ul>
          {problems.map((problem) => (
            <li key={`${problem.path}.${problem.message}`}>{problem.message}</li>
          ))}
        </ul>
      )}
    </Notice>
  );
}

type BarProps = {
  edit: Unsaved<unknown> | undefined;
  label: string;
  disabled: boolean;
  saving: boolean;
  save: () => void;
  undo: () => void;
  redo: () => void;
  discard: () => void;
};

/** Save, undo, redo, discard. */
export function SaveBar({ edit, label, disabled, saving, save, undo, redo, discard }: BarProps) {
  return (
    <div className="row save-bar">
      <Button type="primary" disabled={!edit || disabled} loading={saving} onClick={save}>
        {label}
      </Button>
      <Button disabled={!edit?.past.length} onClick={undo}>
        Undo
      </Button>
      <Button disabled={!edit?.future.length} onClick={redo}>
        Redo
      </Button>
      <Button type="text" disabled={!edit} onClick={discard}>
        Discard
      </Button>
    </div>
  );
}
