import { useQuery } from "@tanstack/react-query";
import { Button, Checkbox, Input, Modal, Select } from "antd";
import { useState } from "react";
import type { Model, Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { count, plural } from "../../ui/figures";
import { Scroll } from "../../ui/Scroll";
import { Refused } from "./Refused";
import type { ModelEdits } from "./useModelEdits";
import { withTable } from "./withTable";

type Table = Schemas["Table"];
type Column = Schemas["Column"];

/** Values are given a group, many at once; the groups become a column, and, if wanted, a level above in a hierarchy. */
export function MappingEditor({
  model,
  table,
  column,
  edits,
  close,
}: {
  model: Model;
  table: Table;
  column: Column | null;
  edits: ModelEdits;
  close: () => void;
}) {
  const stored = (table.columns ?? []).filter((item) => item.name !== column?.name);
  const [of, setOf] = useState<string | null>(column?.mapping?.of ?? null);
  const [name, setName] = useState(column?.name ?? "");
  const [groups, setGroups] = useState<Record<string, string | null>>(() =>
    Object.fromEntries(Object.entries(column?.mapping?.values ?? {}).map(([key, value]) => [key, value === null ? null : String(value)])),
  );
  const [otherwise, setOtherwise] = useState(
    column?.mapping?.else === null || column?.mapping?.else === undefined ? "" : String(column.mapping.else),
  );
  const [selected, setSelected] = useState<string[]>([]);
  const [group, setGroup] = useState("");
  const [search, setSearch] = useState("");
  const [hierarchy, setHierarchy] = useState<string | null>(null);
  const values = useQuery({ ...queries.values(model.name, table.name, of ?? "", search), enabled: of !== null });
  const fitting = (model.hierarchies ?? []).filter((item) => item.table === table.name && of !== null && (item.levels ?? []).includes(of));
  const known = [...new Set(Object.values(groups).filter((value): value is string => value !== null))].sort();
  const taken = column === null && (table.columns ?? []).some((item) => item.name === name.trim());
  const ready = of !== null && name.trim() !== "" && !taken && !/[./]/.test(name) && Object.keys(groups).length > 0;
  const shown = values.data?.values ?? [];
  const assign = () => {
    setGroups({ ...groups, ...Object.fromEntries(selected.map((value) => [value, group.trim() || null])) });
    setSelected([]);
    setGroup("");
  };
  const save = async () => {
    if (!ready || of === null) return;
    const made: Column = {
      ...(column ?? { name: name.trim() }),
      name: name.trim(),
      type: "text",
      expression: null,
      mapping: {
        of,
        values: Object.fromEntries(Object.entries(groups).filter(([, value]) => value !== null)),
        else: otherwise.trim() || null,
      },
    };
    const saved = await edits.save(`values of ${of} grouped as ${made.name}`, (document) => {
      const next = withTable(document, table.name, (item) => ({
        ...item,
        columns: column
          ? (item.columns ?? []).map((other) => (other.name === column.name ? made : other))
          : [...(item.columns ?? []), made],
      }));
      if (hierarchy === null) return next;
      return {
        ...next,
        hierarchies: (next.hierarchies ?? []).map((item) => {
          const levels = item.levels ?? [];
          const at = levels.indexOf(of);
          return item.name === hierarchy && at >= 0 ? { ...item, levels: [...levels.slice(0, at), made.name, ...levels.slice(at)] } : item;
        }),
      };
    });
    if (saved) close();
  };
  return (
    <Modal
      open
      width={760}
      title={column ? `Groups of values: ${column.name}` : `Group the values of a column of ${table.name}`}
      onCancel={() => {
        edits.forget();
        close();
      }}
      okText="Save in the draft"
      okButtonProps={{ disabled: !ready, loading: edits.saving }}
      onOk={() => void save()}
    >
      <div className="row wrap fields below-8">
        <label htmlFor="mapping-of">Values of</label>
        <Select
          id="mapping-of"
          aria-label="Values of"
          className="least-160"
          disabled={column !== null}
          value={of}
          placeholder="a column"
          onChange={(value) => {
            setOf(value);
            setGroups({});
            setSelected([]);
          }}
          options={stored.map((item) => ({ value: item.name, label: item.name }))}
        />
        <label htmlFor="mapping-name">become the column</label>
        <Input
          id="mapping-name"
          className="mono wide-180"
          value={name}
          disabled={column !== null}
          onChange={(event) => setName(event.target.value)}
        />
        {taken && <span className="warn">There is a column {name} already.</span>}
      </div>
      {of !== null && (
        <>
          <div className="row wrap below-6">
            <Input
              allowClear
              aria-label="Search values"
              placeholder="search values"
              className="wide-180"
              value={search}
              onChange={(event) => setSearch(event.target.value)}
            />
            <span className="soft small">{plural(selected.length, "value")} chosen, under</span>
            <Select
              aria-label="Group"
              showSearch
              optionFilterProp="label"
              allowClear
              className="wide-180"
              placeholder="a group, new or known"
              value={group || null}
              searchValue={group}
              onSearch={(text) => text !== "" && setGroup(text)}
              onChange={(value) => setGroup(value ?? "")}
              options={[...new Set([...(group.trim() ? [group.trim()] : []), ...known])].map((item) => ({ value: item, label: item }))}
            />
            <Button disabled={selected.length === 0} onClick={assign}>
              {group.trim() ? "Put under it" : "Take out of groups"}
            </Button>
          </div>
          <Scroll label="Values" className="scroll low-260 edged">
            <table className="data">
              <thead>
                <tr>
                  <th>
                    <Checkbox
                      aria-label="All values shown"
                      checked={selected.length > 0 && selected.length === shown.length}
                      indeterminate={selected.length > 0 && selected.length < shown.length}
                      onChange={(event) => setSelected(event.target.checked ? shown.map((item) => String(item.value)) : [])}
                    />
                  </th>
                  <th>{of}</th>
                  <th className="number">rows</th>
                  <th>{name.trim() || "group"}</th>
                </tr>
              </thead>
              <tbody>
                {shown.map((item) => {
                  const text = String(item.value);
                  return (
                    <tr key={text}>
                      <td>
                        <Checkbox
                          aria-label={`Choose ${text}`}
                          checked={selected.includes(text)}
                          onChange={(event) =>
                            setSelected(event.target.checked ? [...selected, text] : selected.filter((other) => other !== text))
                          }
                        />
                      </td>
                      <td>{text}</td>
                      <td className="number">{count(item.rows)}</td>
                      <td>{groups[text] ?? <span className="soft">{otherwise.trim() || "blank"}</span>}</td>
                    </tr>
                  );
                })}
              </tbody>
            </table>
          </Scroll>
          <p className="small soft">
            {plural(values.data?.distinct ?? 0, "value")}, {Object.values(groups).filter((value) => value !== null).length} in{" "}
            {plural(known.length, "group")}.
          </p>
          <div className="row wrap fields">
            <label htmlFor="mapping-else">All other values</label>
            <Input
              id="mapping-else"
              className="wide-160"
              placeholder="stay blank"
              value={otherwise}
              onChange={(event) => setOtherwise(event.target.value)}
            />
            {fitting.length > 0 && column === null && (
              <>
                <label htmlFor="mapping-level">and become a level above in</label>
                <Select
                  id="mapping-level"
                  aria-label="Hierarchy"
                  allowClear
                  className="least-150"
                  placeholder="no hierarchy"
                  value={hierarchy}
                  onChange={(value) => setHierarchy(value ?? null)}
                  options={fitting.map((item) => ({ value: item.name, label: item.label ?? item.name }))}
                />
              </>
            )}
          </div>
        </>
      )}
      <Refused edits={edits} />
    </Modal>
  );
}
