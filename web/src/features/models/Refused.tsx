import { Notice } from "../../ui/Notice";
import type { ModelEdits } from "./useModelEdits";

/** Why a save was refused: every place that would no longer hold together. */
export function Refused({ edits }: { edits: ModelEdits }) {
  if (!edits.refused) return null;
  return (
    <Notice kind="bad">
      <b>Not saved.</b> {edits.refused.message}
      {edits.refused.problems.length > 1 &&
        edits.refused.problems.slice(0, 20).map((problem) => (
          <div key={`${problem.path}${problem.message}`} className="small">
            {problem.path && <code>{problem.path}</code>} {problem.message}
          </div>
        ))}
    </Notice>
  );
}
