import { Input, Select } from "antd";
import type { Schemas } from "../../api/client";
import { type Must, type People, peopleKey, peopleOfKey, type Subject } from "./words";

type Choice = { value: string; label: string };
/** What a subject can be of: tables, columns and measures of the model, and pages. */
export type Offered = { tables: Choice[]; columns: Choice[]; measures: Choice[]; pages: Choice[] };
type SubjectKind = "rows" | "column" | "measure" | "page";

const SUBJECTS: { value: SubjectKind; label: string }[] = [
  { value: "rows", label: "rows of a table" },
  { value: "column", label: "a column" },
  { value: "measure", label: "a figure" },
  { value: "page", label: "a page" },
];

/** What a promise over everybody says: who reaches something, or how people share the rows of a figure. */
export function OverAllFields(props: { must: Must; set: (must: Must) => void; model: string; offered: Offered; people: Choice[] }) {
  const { must, set, model, offered, people } = props;
  const shares = must.adds_up ?? must.covers;
  const side = must.adds_up ? "adds_up" : "covers";
  if (must.only) {
    const { only } = must;
    return (
      <>
        <SubjectFields
          id="promise-subject"
          title="Reached"
          value={only.subject}
          set={(subject) => set({ only: { ...only, subject } })}
          model={model}
          offered={offered}
        />
        <PeopleField
          id="promise-people"
          title="Only by"
          value={only.people}
          set={(chosen) => set({ only: { ...only, people: chosen } })}
          people={people}
        />
      </>
    );
  }
  if (must.never_both) {
    const [first, second] = must.never_both;
    if (!first || !second) return null;
    return (
      <>
        <SubjectFields
          id="promise-one"
          title="One of them"
          value={first}
          set={(subject) => set({ never_both: [subject, second] })}
          model={model}
          offered={offered}
        />
        <SubjectFields
          id="promise-other"
          title="The other"
          value={second}
          set={(subject) => set({ never_both: [first, subject] })}
          model={model}
          offered={offered}
        />
      </>
    );
  }
  if (!shares) return null;
  return (
    <>
      <label htmlFor="promise-shared">Rows of</label>
      <Select
        id="promise-shared"
        showSearch
        optionFilterProp="label"
        placeholder="the figure"
        value={shares.measure || undefined}
        onChange={(measure: string) => set({ [side]: { ...shares, model, measure } })}
        options={offered.measures}
      />
      <PeopleField
        id="promise-sharing"
        title={must.adds_up ? "Count for just one of" : "Count for one or more of"}
        value={shares.viewers}
        set={(viewers) => set({ [side]: { ...shares, viewers } })}
        people={people}
      />
    </>
  );
}

/** Some people: single ones, and all of a group, an organization or a role. */
function PeopleField(props: { id: string; title: string; value: People[]; set: (people: People[]) => void; people: Choice[] }) {
  return (
    <>
      <label htmlFor={props.id}>{props.title}</label>
      <Select
        id={props.id}
        mode="multiple"
        showSearch
        optionFilterProp="label"
        placeholder="people, groups, organizations, holders of roles"
        value={props.value.map(peopleKey)}
        onChange={(keys: string[]) => props.set(keys.map(peopleOfKey))}
        options={props.people}
      />
    </>
  );
}

/** One thing that can be reached. */
function SubjectFields(props: {
  id: string;
  title: string;
  value: Subject;
  set: (subject: Subject) => void;
  model: string;
  offered: Offered;
}) {
  const { id, title, value, set, model, offered } = props;
  const kind = SUBJECTS.find((item) => value[item.value] != null)?.value ?? "rows";
  return (
    <fieldset className="promise-row promise-subject" aria-label={title}>
      <label htmlFor={`${id}-kind`}>{title}</label>
      <Select
        id={`${id}-kind`}
        showSearch
        optionFilterProp="label"
        value={kind}
        onChange={(next) => set(emptySubject(next, model))}
        options={SUBJECTS}
      />
      {value.rows && (
        <>
          <label htmlFor={`${id}-table`}>Table</label>
          <Select
            id={`${id}-table`}
            showSearch
            optionFilterProp="label"
            value={value.rows.table || undefined}
            onChange={(table: string) => set({ rows: { model, table, where: value.rows?.where ?? null } })}
            options={offered.tables}
          />
          <label htmlFor={`${id}-where`}>Where</label>
          <Input
            id={`${id}-where`}
            className="mono"
            placeholder="any row; or a condition, area = 'Eastmoor'"
            value={value.rows.where ?? ""}
            onChange={(event) => value.rows && set({ rows: { ...value.rows, where: event.target.value || null } })}
          />
        </>
      )}
      {value.column && (
        <>
          <label htmlFor={`${id}-column`}>Column</label>
          <div className="row">
            <Select
              id={`${id}-column`}
              className="grow"
              showSearch
              value={value.column.column || undefined}
              onChange={(column: string) => value.column && set({ column: { ...value.column, model, column } })}
              options={offered.columns}
            />
            <Select
              aria-label={`${title}: reached by`}
              value={value.column.state ?? "clear"}
              onChange={(state: "clear" | "visible") => value.column && set({ column: { ...value.column, state } })}
              options={[
                { value: "clear", label: "whoever sees one value clear" },
                { value: "visible", label: "whoever has the column at all" },
              ]}
            />
          </div>
        </>
      )}
      {value.measure && (
        <>
          <label htmlFor={`${id}-measure`}>Figure</label>
          <Select
            id={`${id}-measure`}
            showSearch
            optionFilterProp="label"
            value={value.measure.measure || undefined}
            onChange={(measure: string) => set({ measure: { model, measure } })}
            options={offered.measures}
          />
        </>
      )}
      {value.page != null && (
        <>
          <label htmlFor={`${id}-page`}>Page</label>
          <Select
            id={`${id}-page`}
            showSearch
            optionFilterProp="label"
            value={value.page || undefined}
            onChange={(page: string) => set({ page })}
            options={offered.pages}
          />
        </>
      )}
    </fieldset>
  );
}

/** A subject of a kind with nothing chosen yet. */
export function emptySubject(kind: SubjectKind, model: string): Schemas["ReachedSubject"] {
  switch (kind) {
    case "rows":
      return { rows: { model, table: "", where: null } };
    case "column":
      return { column: { model, column: "", state: "clear" } };
    case "measure":
      return { measure: { model, measure: "" } };
    case "page":
      return { page: "" };
  }
}
