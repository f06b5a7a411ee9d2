import { useQuery } from "@tanstack/react-query";
import { Button, Input, Radio, Select } from "antd";
import { queries } from "../../api/queries";
import type { Editing, Part } from "../../ui/sentences/sentence";
import { EntitlementLinesView } from "./EntitlementLinesView";
import { OptionalCondition } from "./RowsEditor";

type Entitlement = Part<"entitlement">;
type Target = Entitlement["match"][string];

const NAMES = { login: "login", email: "e-mail", organization: "organization", group: "group", role: "role" };

type Props = { editing: Editing; sentence: Entitlement; onChange: (sentence: Entitlement) => void };

/** Rows by a table that says who may see what: chosen with evidence, and read line by line beside it. */
export function EntitlementEditor({ editing, sentence, onChange }: Props) {
  const { model, attributes } = editing;
  const name = model.document.name;
  const tables = (model.document.tables ?? []).filter((table) => !table.alias_of);
  const columnsOf = (table: string) => tables.find((item) => item.name === table)?.columns ?? [];
  const evidence = useQuery({
    ...queries.entitlementColumns({ model: name, through: sentence.through, table: sentence.table, separator: sentence.separator ?? null }),
    enabled: sentence.through !== "",
  });
  const personKey = typeof sentence.person_is === "string" ? sentence.person_is : `attribute:${sentence.person_is.attribute}`;
  const peopleFound = evidence.data?.people.filter((item) => item.column === sentence.person && item.person_is === personKey)[0];
  const pairs = Object.entries(sentence.match);
  const setPair = (at: number, column: string, target: Target) =>
    onChange({ ...sentence, match: Object.fromEntries(pairs.map((pair, index) => (index === at ? [column, target] : pair))) });
  const offered = (evidence.data?.matches ?? [])
    .filter((item) => !(item.column in sentence.match) && item.through !== sentence.person && item.found * 2 >= item.of)
    .slice(0, 3);
  const likely = (evidence.data?.people ?? []).filter((item) => item.found * 3 >= item.of).slice(0, 3);
  const everything = !sentence.everything ? "no" : sentence.everything === "blank" ? "blank" : "word";
  const addPair = (column: string, through: string) => onChange({ ...sentence, match: { ...sentence.match, [column]: through } });
  return (
    <div className="form">
      <div className="field">
        Rows of
        <Select
          aria-label="Secured table"
          showSearch
          className="least-130"
          value={sentence.table}
          onChange={(table) => onChange({ ...sentence, table, match: {} })}
          options={tables.map((table) => ({ value: table.name, label: table.name }))}
        />
        as listed in
        <Select
          aria-label="Table of entitlements"
          showSearch
          placeholder="table"
          className="least-150"
          value={sentence.through || undefined}
          onChange={(through) => onChange({ ...sentence, through, person: "", match: {}, where: null })}
          options={tables.filter((table) => table.name !== sentence.table).map((table) => ({ value: table.name, label: table.name }))}
        />
      </div>
      {!sentence.through && (
        <p className="soft small">
          Choose the table whose lines say who may see what: imported, or kept here. Bring one in under Models if there is none.
        </p>
      )}
      {sentence.through && (
        <>
          <div className="field">
            Column
            <Select
              showSearch
              optionFilterProp="label"
              aria-label="Person column"
              placeholder="column"
              className="least-120"
              value={sentence.person || undefined}
              onChange={(person) => onChange({ ...sentence, person })}
              options={columnsOf(sentence.through).map((column) => ({ value: column.name, label: column.name }))}
            />
            names a person by
            <Select
              showSearch
              optionFilterProp="label"
              aria-label="Read as"
              className="least-130"
              value={personKey}
              onChange={(key) =>
                onChange({
                  ...sentence,
                  person_is: key.startsWith("attribute:") ? { attribute: key.slice(10) } : (key as keyof typeof NAMES),
                })
              }
              options={[
                ...Object.entries(NAMES).map(([value, label]) => ({ value, label })),
                ...attributes.map((attribute) => ({ value: `attribute:${attribute.name}`, label: `attribute ${attribute.name}` })),
              ]}
            />
            {peopleFound && (
              <span className="soft small">
                {peopleFound.found} of {peopleFound.of} values do
              </span>
            )}
          </div>
          {(!sentence.person || !peopleFound) && likely.length > 0 && (
            <p className="small soft">
              By the data:{" "}
              {likely.map((item, index) => (
                <span key={`${item.column}.${item.person_is}`}>
                  {index > 0 && ", "}
                  <button
                    type="button"
                    className="textlink"
                    onClick={() => onChange({ ...sentence, person: item.column, person_is: item.person_is as keyof typeof NAMES })}
                  >
                    {item.column} as {NAMES[item.person_is as keyof typeof NAMES]}
                  </button>{" "}
                  ({item.found} of {item.of})
                </span>
              ))}
            </p>
          )}
          {pairs.map(([column, target], index) => (
            <Pair
              key={column}
              own={columnsOf(sentence.table).map((item) => item.name)}
              listed={columnsOf(sentence.through).map((item) => item.name)}
              column={column}
              target={target}
              evidence={evidence.data?.matches.find((item) => item.column === column && item.through === target)}
              onChange={(nextColumn, nextTarget) => setPair(index, nextColumn, nextTarget)}
              onRemove={() => onChange({ ...sentence, match: Object.fromEntries(pairs.filter((_, place) => place !== index)) })}
            />
          ))}
          <div className="row wrap small">
            <Select
              showSearch
              optionFilterProp="label"
              size="small"
              aria-label="Add a matching column"
              placeholder="+ match a column"
              className="least-150"
              value={null}
              onChange={(column: string) => {
                const best = evidence.data?.matches.find((item) => item.column === column)?.through;
                addPair(
                  column,
                  best ??
                    columnsOf(sentence.through).find((item) => item.name === column)?.name ??
                    columnsOf(sentence.through)[0]?.name ??
                    "",
                );
              }}
              options={columnsOf(sentence.table)
                .filter((column) => !(column.name in sentence.match))
                .map((column) => ({ value: column.name, label: column.name }))}
            />
            {offered.map((item) => (
              <span key={`${item.column}.${item.through}`} className="soft">
                by the data:{" "}
                <button type="button" className="textlink" onClick={() => addPair(item.column, item.through)}>
                  {item.column} = {item.through}
                </button>{" "}
                ({item.found} of {item.of} values)
              </span>
            ))}
          </div>
          <div className="row wrap">
            <div className="field">
              Cells may be lists separated by
              <Input
                size="small"
                aria-label="Separator"
                className="wide-48"
                maxLength={10}
                placeholder="none"
                value={sentence.separator ?? ""}
                onChange={(event) => onChange({ ...sentence, separator: event.target.value || null })}
              />
            </div>
          </div>
          <div className="row wrap">
            <span>Everything is opened by</span>
            <Radio.Group
              size="small"
              aria-label="What opens everything"
              value={everything}
              onChange={(event) =>
                onChange({
                  ...sentence,
                  everything: event.target.value === "no" ? null : event.target.value === "blank" ? "blank" : { text: "ALL" },
                })
              }
            >
              <Radio.Button value="no">nothing</Radio.Button>
              <Radio.Button value="blank">a blank cell</Radio.Button>
              <Radio.Button value="word">a word</Radio.Button>
            </Radio.Group>
            {typeof sentence.everything === "object" && sentence.everything !== null && (
              <Input
                size="small"
                aria-label="The word that opens everything"
                className="wide-90"
                value={sentence.everything.text}
                onChange={(event) => onChange({ ...sentence, everything: { text: event.target.value } })}
              />
            )}
            <span className={everything === "blank" ? "warn small" : "soft small"}>
              {everything === "blank" ? "A blank cell matches every row, for everybody its line names." : "A blank cell matches nothing."}
            </span>
          </div>
          <OptionalCondition
            key={sentence.through}
            editing={editing}
            table={sentence.through}
            where={sentence.where ?? null}
            onChange={(where) => onChange({ ...sentence, where })}
            label="A line is in force where"
            always="Every line is in force."
          />
          <EntitlementLinesView editing={editing} sentence={sentence} />
        </>
      )}
    </div>
  );
}

type PairProps = {
  own: string[];
  listed: string[];
  column: string;
  target: Target;
  evidence: { found: number; of: number } | undefined;
  onChange: (column: string, target: Target) => void;
  onRemove: () => void;
};

function Pair({ own, listed, column, target, evidence, onChange, onRemove }: PairProps) {
  const options = listed.map((name) => ({ value: name, label: name }));
  const between = typeof target !== "string";
  return (
    <div className="field">
      <Select
        showSearch
        optionFilterProp="label"
        size="small"
        aria-label="Column of the secured table"
        className="least-110"
        value={column}
        onChange={(next) => onChange(next, target)}
        options={own.map((name) => ({ value: name, label: name }))}
      />
      <Select
        showSearch
        optionFilterProp="label"
        size="small"
        aria-label="How it matches"
        value={between ? "between" : "is"}
        onChange={(how) =>
          onChange(
            column,
            how === "is" ? (between ? (target.between[0] ?? "") : target) : { between: between ? target.between : [target, target] },
          )
        }
        options={[
          { value: "is", label: "is" },
          { value: "between", label: "lies between" },
        ]}
      />
      <Select
        showSearch
        optionFilterProp="label"
        size="small"
        aria-label={between ? "Low column" : "Column of the list"}
        className="least-110"
        value={between ? target.between[0] : target}
        onChange={(next) => onChange(column, between ? { between: [next, target.between[1] ?? next] } : next)}
        options={options}
      />
      {between && (
        <>
          and
          <Select
            showSearch
            optionFilterProp="label"
            size="small"
            aria-label="High column"
            className="least-110"
            value={target.between[1]}
            onChange={(next) => onChange(column, { between: [target.between[0] ?? next, next] })}
            options={options}
          />
        </>
      )}
      {evidence && (
        <span className="soft small nowrap">
          {evidence.found} of {evidence.of} values found
        </span>
      )}
      {!between && !evidence && <span className="warn small">no value matches</span>}
      <Button size="small" type="text" aria-label={`Take out ${column}`} onClick={onRemove}>
        ×
      </Button>
    </div>
  );
}
