import { useQuery } from "@tanstack/react-query";
import { Checkbox, Radio, Select } from "antd";
import { api, data, type Schemas } from "../../api/client";
import { ConditionEditor } from "../../ui/ConditionEditor";
import { type Attribute, useCheck } from "./RowsEditor";

type Pages = Schemas["PagesSentence"];
const ACTIONS = ["open", "edit", "publish", "export"] as const;

/** The pages sentence: which actions, on which shelves and pages, under which condition. */
export function PagesEditor({
  sentence,
  onChange,
  attributes,
  limit,
}: {
  sentence: Pages;
  onChange: (sentence: Pages) => void;
  attributes: Attribute[];
  limit: boolean;
}) {
  const pages = useQuery({
    queryKey: ["pages", "draft"],
    queryFn: () => data(api.GET("/api/pages", { params: { query: { state: "draft" } } })),
    staleTime: 10_000,
  });
  const where = sentence.where ?? "";
  const check = useCheck(null, null, where, "pages");
  const problem = where.trim() === "" ? null : (check.data?.problem ?? null);
  const targets = (pages.data?.shelves ?? []).flatMap((shelf) => [
    { value: `shelf:${shelf.name}`, label: `shelf ${shelf.label}` },
    ...shelf.pages.map((entry) => ({ value: `page:${entry.page.name}`, label: `page ${entry.page.label ?? entry.page.name}` })),
  ]);
  return (
    <div>
      <div className="row wrap">
        <span>{limit ? "Denies" : "Allows"}</span>
        <Checkbox.Group
          value={sentence.actions}
          onChange={(actions) => actions.length > 0 && onChange({ ...sentence, actions: actions as Pages["actions"] })}
          options={ACTIONS.map((action) => ({ value: action, label: action }))}
        />
      </div>
      <div className="row wrap" style={{ margin: "6px 0" }}>
        <Radio.Group
          size="small"
          value={sentence.on ? "some" : "any"}
          onChange={(event) => onChange({ ...sentence, on: event.target.value === "some" ? [] : null })}
        >
          <Radio.Button value="any">any page</Radio.Button>
          <Radio.Button value="some">these</Radio.Button>
        </Radio.Group>
        {sentence.on && (
          <Select
            mode="multiple"
            aria-label="Shelves and pages"
            placeholder="Shelves and pages"
            style={{ flex: 1, minWidth: 180 }}
            value={sentence.on}
            onChange={(on) => onChange({ ...sentence, on })}
            options={targets}
            optionFilterProp="label"
          />
        )}
      </div>
      <div className="small soft">and where (left empty: always)</div>
      <ConditionEditor
        value={where}
        onChange={(text) => onChange({ ...sentence, where: text.trim() === "" ? null : text })}
        names={[
          ...["page.name", "page.shelf", "page.tags", "page.owner"].map((label) => ({ label, detail: "page" })),
          ...attributes.map((attribute) => ({ label: `viewer.${attribute.name}`, detail: attribute.type })),
        ]}
        problem={problem}
        label="Condition on pages"
        hint="'monthly' IN page.tags"
      />
      {problem && (
        <p className="small warn" role="alert">
          {problem.message} {problem.nearest && `Nearest: ${problem.nearest}.`}
        </p>
      )}
    </div>
  );
}
