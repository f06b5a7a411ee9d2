import { useQuery } from "@tanstack/react-query";
import { Checkbox, Radio, Select } from "antd";
import { queries } from "../../api/queries";
import type { Attribute } from "../conditions/ClausePicker";
import { ConditionBuilder } from "../conditions/ConditionBuilder";
import type { Part } from "./sentence";
import { useSubjects } from "./useSubjects";

const ACTIONS = ["open", "edit", "create", "publish", "export"] as const;

type Props = { sentence: Part<"pages">; onChange: (sentence: Part<"pages">) => void; attributes: Attribute[]; limit: boolean };

/** The pages sentence: which actions, on which shelves and pages, under which condition. */
export function PagesEditor({ sentence, onChange, attributes, limit }: Props) {
  const subjects = useSubjects();
  const pages = useQuery(queries.pages("draft"));
  const targets = (pages.data?.shelves ?? []).flatMap((shelf) => [
    { value: `shelf:${shelf.name}`, label: `shelf ${shelf.label}` },
    ...shelf.pages.map((entry) => ({ value: `page:${entry.page.name}`, label: `page ${entry.page.label ?? entry.page.name}` })),
  ]);
  return (
    <div className="form">
      <div className="row wrap">
        <span>{limit ? "Denies" : "Allows"}</span>
        <Checkbox.Group
          value={sentence.actions}
          onChange={(actions) => actions.length > 0 && onChange({ ...sentence, actions: actions as Part<"pages">["actions"] })}
          options={ACTIONS.map((action) => ({ value: action, label: action }))}
        />
      </div>
      {sentence.actions.some((action) => action !== "open") && !limit && (
        <p className="soft small">
          “export” needs “open” on the page too, from this sentence or another. “create” lets readers make pages of their own on a shelf,
          “edit” change them, “publish” show them to whoever may open that shelf.
        </p>
      )}
      <div className="row wrap">
        <Radio.Group
          size="small"
          aria-label="On which pages"
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
            className="fill least-180"
            value={sentence.on}
            onChange={(on) => onChange({ ...sentence, on })}
            options={targets}
            optionFilterProp="label"
          />
        )}
      </div>
      <div className="small soft">and where</div>
      <ConditionBuilder
        model={null}
        table={null}
        kind="pages"
        where={sentence.where ?? ""}
        onChange={(text) => onChange({ ...sentence, where: text.trim() === "" ? null : text })}
        subjects={subjects.page}
        attributes={attributes}
        label="Condition on pages"
        hint="'monthly' IN page.tags"
        empty="left empty: always"
      />
    </div>
  );
}
