import { useMemo, useState } from "react";
import { ConditionBuilder } from "../../ui/conditions/ConditionBuilder";
import { columnSubjects } from "../../ui/conditions/clauses";
import type { Editing } from "../../ui/sentences/sentence";
import { useSubjects } from "../../ui/sentences/useSubjects";

type Props = { editing: Editing; table: string; where: string; onChange: (where: string) => void; label?: string; empty?: string };

/** A condition on the rows of a table, its lookups and the viewer: by values, ranges, attributes, in groups, or as text. */
export function RowsEditor({ editing, table, where, onChange, label, empty = "say which rows" }: Props) {
  const { model, attributes, viewerValues } = editing;
  const { viewer } = useSubjects();
  const subjects = useMemo(() => [...columnSubjects(model.document, model.reaches, table), ...viewer], [model, table, viewer]);
  return (
    <ConditionBuilder
      key={table}
      model={model.document.name}
      table={table}
      kind="rows"
      where={where}
      onChange={onChange}
      subjects={subjects}
      attributes={attributes}
      viewerValues={viewerValues}
      label={label ?? `Condition on ${table}`}
      hint="area IN viewer.areas"
      empty={empty}
    />
  );
}

type OptionalProps = {
  editing: Editing;
  table: string;
  where: string | null;
  onChange: (where: string | null) => void;
  label: string;
  /** What an absent condition means: "always". */
  always: string;
};

/** A condition that may be left out; its editor opens when it is wanted. */
export function OptionalCondition({ editing, table, where, onChange, label, always }: OptionalProps) {
  const [wanted, setWanted] = useState(where !== null);
  if (!wanted) {
    return (
      <div className="row small">
        <span className="soft">{always}</span>
        <button type="button" className="textlink" onClick={() => setWanted(true)}>
          only where…
        </button>
      </div>
    );
  }
  return (
    <div>
      <div className="row small">
        <span className="soft">{label}</span>
        <span className="grow" />
        <button
          type="button"
          className="textlink"
          onClick={() => {
            onChange(null);
            setWanted(false);
          }}
        >
          without a condition
        </button>
      </div>
      <RowsEditor
        editing={editing}
        table={table}
        where={where ?? ""}
        onChange={(text) => onChange(text.trim() === "" ? null : text)}
        label={label}
        empty="left empty: always"
      />
    </div>
  );
}
