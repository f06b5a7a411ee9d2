import { useQuery } from "@tanstack/react-query";
import { Button, Input, Popconfirm, Select, Switch } from "antd";
import { useState } from "react";
import type { Model, Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { useVocabulary } from "../../state/directory";
import { ConditionEditor } from "../../ui/ConditionEditor";
import { Notice } from "../../ui/Notice";
import { useDelayed } from "../../ui/useDelayed";
import { expressionNames } from "./useExpressionTry";
import type { ModelEdits } from "./useModelEdits";
import { withTable } from "./withTable";

type Table = Schemas["Table"];

/** What a table is called, who keeps it, its key, the filter that holds for everybody, its aliases; and deleting it. */
export function SettingsTab({
  model,
  table,
  profile,
  edits,
  editable,
}: {
  model: Model;
  table: Table;
  profile: Schemas["TableProfile"];
  edits: ModelEdits;
  editable: boolean;
}) {
  const [draft, setDraft] = useState(table);
  const [alias, setAlias] = useState("");
  const set = (part: Partial<Table>) => setDraft({ ...draft, ...part });
  const filter = useDelayed((draft.base_filter ?? "").trim(), 200);
  const words = useVocabulary();
  const check = useQuery({
    ...queries.checked({ model: model.name, table: table.name, where: filter, kind: "rows" }),
    enabled: filter !== "" && !table.alias_of,
  });
  const problem =
    filter === ""
      ? null
      : (check.data?.problem ??
        (filter.includes("viewer.")
          ? { message: "A base filter is the same for everybody; it does not read the viewer.", code: "viewer", path: "" }
          : null));
  const changed = JSON.stringify(draft) !== JSON.stringify(table);
  const nullable = (text: string | null | undefined) => text?.trim() || null;
  const save = () =>
    edits.save(`settings of ${table.name}`, (document) =>
      withTable(document, table.name, (item) => ({
        ...item,
        label: nullable(draft.label),
        folder: nullable(draft.folder),
        about: nullable(draft.about),
        keeper: nullable(draft.keeper),
        key: draft.key ?? null,
        tags: draft.tags ?? [],
        quarantine: draft.quarantine ?? false,
        base_filter: nullable(draft.base_filter),
        base_filter_label: nullable(draft.base_filter) ? nullable(draft.base_filter_label) : null,
        base_filter_reason: nullable(draft.base_filter) ? nullable(draft.base_filter_reason) : null,
      })),
    );
  const keys = profile.columns
    .filter((column) => column.distinct === profile.rows && column.blank === 0 && !column.derived)
    .map((column) => column.name);
  return (
    <div className="settings">
      <label htmlFor="set-label">Label</label>
      <Input id="set-label" disabled={!editable} value={draft.label ?? ""} onChange={(event) => set({ label: event.target.value })} />
      <label htmlFor="set-about">What it holds</label>
      <Input.TextArea
        id="set-about"
        disabled={!editable}
        autoSize={{ minRows: 1, maxRows: 5 }}
        value={draft.about ?? ""}
        onChange={(event) => set({ about: event.target.value })}
      />
      <label htmlFor="set-keeper">Keeper</label>
      <Input
        id="set-keeper"
        disabled={!editable}
        placeholder="who answers for it"
        value={draft.keeper ?? ""}
        onChange={(event) => set({ keeper: event.target.value })}
      />
      {!table.alias_of && (
        <>
          <label htmlFor="set-key">Key</label>
          <Select
            id="set-key"
            aria-label="Key"
            allowClear
            disabled={!editable}
            value={draft.key ?? null}
            placeholder="no key"
            onChange={(key) => set({ key: key ?? null })}
            options={[...new Set([...(table.key ? [table.key] : []), ...keys])].map((name) => ({ value: name, label: name }))}
          />
        </>
      )}
      <label htmlFor="set-tags">Tags</label>
      <Select
        id="set-tags"
        aria-label="Tags"
        mode="tags"
        disabled={!editable}
        value={draft.tags ?? []}
        onChange={(tags) => set({ tags })}
      />
      <label htmlFor="set-folder">Folder</label>
      <Input
        id="set-folder"
        disabled={!editable}
        placeholder="roles can hide or show all of a folder"
        value={draft.folder ?? ""}
        onChange={(event) => set({ folder: event.target.value })}
      />
      <span>Quarantine</span>
      <span className="row">
        <Switch
          aria-label="Quarantine"
          disabled={!editable}
          checked={draft.quarantine ?? false}
          onChange={(quarantine) => set({ quarantine })}
        />
        <span className="soft small">{draft.quarantine ? "hidden from everybody until it is cleared" : "cleared"}</span>
      </span>
      {!table.alias_of && (
        <>
          <span>Base filter</span>
          <div>
            {editable ? (
              <ConditionEditor
                label="Base filter"
                value={draft.base_filter ?? ""}
                onChange={(base_filter) => set({ base_filter })}
                names={expressionNames(model, table.name, "column", words)}
                problem={problem as Schemas["ProblemShape"] | null}
                hint="no filter; for example status <> 'closed'"
              />
            ) : (
              <code>{draft.base_filter ?? "none"}</code>
            )}
            <p className={`small ${problem ? "warn" : "soft"}`}>
              {problem ? problem.message : "Rows for which it is not true are gone for everybody, and it runs down like any restriction."}
            </p>
            {nullable(draft.base_filter) && (
              <div className="row">
                <Input
                  aria-label="Name of the base filter"
                  disabled={!editable}
                  placeholder="its name: open sites"
                  value={draft.base_filter_label ?? ""}
                  onChange={(event) => set({ base_filter_label: event.target.value })}
                />
                <Input
                  aria-label="Reason of the base filter"
                  disabled={!editable}
                  placeholder="the reason"
                  value={draft.base_filter_reason ?? ""}
                  onChange={(event) => set({ base_filter_reason: event.target.value })}
                />
              </div>
            )}
          </div>
        </>
      )}
      {editable && (
        <>
          <span />
          <div className="row wrap">
            <Button type="primary" disabled={!changed || Boolean(problem)} loading={edits.saving} onClick={() => void save()}>
              Save in the draft
            </Button>
            <Button disabled={!changed} onClick={() => setDraft(table)}>
              Take back
            </Button>
          </div>
          {!table.alias_of && (
            <>
              <label htmlFor="set-alias">New alias</label>
              <div>
                <div className="row">
                  <Input
                    id="set-alias"
                    className="mono"
                    placeholder="first_day"
                    value={alias}
                    onChange={(event) => setAlias(event.target.value)}
                  />
                  <Button
                    disabled={alias.trim() === "" || /[./]/.test(alias) || (model.tables ?? []).some((item) => item.name === alias.trim())}
                    onClick={async () => {
                      if (
                        await edits.save(`alias ${alias.trim()} of ${table.name}`, (document) => ({
                          ...document,
                          tables: [...(document.tables ?? []), { name: alias.trim(), alias_of: table.name }],
                        }))
                      )
                        setAlias("");
                    }}
                  >
                    Add
                  </Button>
                </div>
                <p className="small soft">
                  A second reading of the same rows under its own name and relationships: an order day beside a delivery day.
                </p>
              </div>
            </>
          )}
          <span>Delete</span>
          <div>
            <Popconfirm
              title={`Delete ${table.name} from the draft?`}
              description="Its relationships, hierarchies and measures go with it. Viewers keep it until the next release."
              okText="Delete"
              onConfirm={() =>
                void edits.save(`table ${table.name} deleted`, (document) => ({
                  ...document,
                  tables: (document.tables ?? []).filter((item) => item.name !== table.name),
                  relationships: (document.relationships ?? []).filter(
                    (item) => !item.from.startsWith(`${table.name}.`) && !item.to.startsWith(`${table.name}.`),
                  ),
                  hierarchies: (document.hierarchies ?? []).filter((item) => item.table !== table.name),
                  measures: (document.measures ?? []).filter((item) => item.table !== table.name),
                }))
              }
            >
              <Button danger size="small">
                Delete this table
              </Button>
            </Popconfirm>
            <span className="soft small"> Refused, with every place, while a role, page or cube still needs it.</span>
          </div>
        </>
      )}
      {table.alias_of && (
        <>
          <span />
          <Notice>An alias of {table.alias_of}: its columns, key and base filter are those of the original.</Notice>
        </>
      )}
    </div>
  );
}
