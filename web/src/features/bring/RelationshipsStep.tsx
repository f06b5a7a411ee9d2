import { Button, Checkbox, Select } from "antd";
import { useState } from "react";
import { count } from "../../ui/figures";
import type { RelationshipChoice, TableChoice } from "../../ui/files/sources";
import { splitName } from "../../ui/fullNames";
import { Empty } from "../../ui/Notice";

type Table = { name: string; key: string | null; columns: string[] };

/** Relationships as proposed with the values that speak for them; others can be added. */
export function RelationshipsStep({
  relationships,
  tables,
  present,
  change,
}: {
  relationships: RelationshipChoice[];
  tables: TableChoice[];
  present: Table[];
  change: (next: RelationshipChoice[]) => void;
}) {
  const [from, setFrom] = useState<string | null>(null);
  const [to, setTo] = useState<string | null>(null);
  const all: Table[] = [
    ...present,
    ...tables.map((table) => ({
      name: table.name,
      key: table.key,
      columns: table.columns.filter((item) => item.take).map((item) => item.name),
    })),
  ];
  const facts = tables.filter(
    (table) =>
      !relationships.some((item) => item.chosen && (item.from.startsWith(`${table.name}.`) || item.to.startsWith(`${table.name}.`))),
  );
  return (
    <div className="pad most-980">
      <p className="soft">
        A relationship runs from a column of the table with many rows to the key of the table it looks up. Restrictions travel along it:
        whoever may see only some sites sees only their readings.
      </p>
      {relationships.length === 0 && (
        <Empty title="No relationship is proposed">
          No column's values are found among another table's keys. Add one below if you know of one.
        </Empty>
      )}
      {relationships.length > 0 && (
        <table className="data above-8" data-testid="relationships">
          <thead>
            <tr>
              <th>take</th>
              <th>from (many)</th>
              <th>to (key)</th>
              <th>values found</th>
              <th>evidence</th>
            </tr>
          </thead>
          <tbody>
            {relationships.map((item, index) => (
              <tr key={`${item.from}-${item.to}`}>
                <td>
                  <Checkbox
                    aria-label={`Take ${item.from} to ${item.to}`}
                    checked={item.chosen}
                    onChange={(event) =>
                      change(relationships.map((other, place) => (place === index ? { ...other, chosen: event.target.checked } : other)))
                    }
                  />
                </td>
                <td>
                  <code>{item.from}</code>
                </td>
                <td>
                  <code>{item.to}</code>
                </td>
                <td>
                  {item.added ? (
                    <span className="soft">added by you</span>
                  ) : (
                    <>
                      <span className="bar wide-64" aria-hidden="true">
                        <i style={{ width: `${item.values ? (100 * item.values_found) / item.values : 0}%` }} />
                      </span>{" "}
                      {count(item.values_found)} of {count(item.values)}
                    </>
                  )}
                </td>
                <td className="small wraps">{item.evidence}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <div className="row wrap above-12">
        <Select
          showSearch
          optionFilterProp="label"
          aria-label="From column"
          placeholder="from column"
          className="least-220"
          value={from}
          onChange={setFrom}
          options={all.flatMap((table) =>
            table.columns.map((column) => ({ value: `${table.name}.${column}`, label: `${table.name}.${column}` })),
          )}
        />
        <span className="soft">to the key</span>
        <Select
          showSearch
          optionFilterProp="label"
          aria-label="To key"
          placeholder="of table"
          className="least-200"
          value={to}
          onChange={setTo}
          options={all
            .filter((table) => table.key)
            .map((table) => ({ value: `${table.name}.${table.key}`, label: `${table.name}.${table.key}` }))}
        />
        <Button
          disabled={
            !from || !to || splitName(from)[0] === splitName(to)[0] || relationships.some((item) => item.from === from && item.to === to)
          }
          onClick={() => {
            if (!from || !to) return;
            change([
              ...relationships,
              {
                from,
                to,
                chosen: true,
                added: true,
                values: 0,
                values_found: 0,
                rows: 0,
                rows_found: 0,
                evidence: "added by you; its health is shown once the data is in",
              },
            ]);
            setFrom(null);
            setTo(null);
          }}
        >
          Add relationship
        </Button>
      </div>
      {facts.length > 0 && relationships.length > 0 && (
        <p className="soft small above-10">
          Stands alone so far: {facts.map((table) => table.name).join(", ")}. A restriction elsewhere does not reach it.
        </p>
      )}
    </div>
  );
}
