import { Select } from "antd";
import type { Schemas } from "../api/client";
import { shownKey } from "./chartLines";
import { columnHeading } from "./fullNames";
import type { PageFilter } from "./PageView";

type Props = { choices: Schemas["FilterChoice"][]; filters: PageFilter[]; onChange: (filters: PageFilter[]) => void };

/** What a page is narrowed by: the filters it offers, and what was selected in its exhibits. */
export function PageFilters({ choices, filters, onChange }: Props) {
  const picked = filters.filter((item) => item.from_exhibit !== null && item.from_exhibit !== undefined);
  if (choices.length === 0 && filters.length === 0) return null;
  return (
    <div className="page-filters">
      {choices.map((choice) => {
        const own = filters.find((item) => item.column === choice.column && (item.from_exhibit ?? null) === null);
        const others = filters.filter((item) => item !== own);
        return (
          <Select
            key={choice.column}
            mode="multiple"
            allowClear
            maxTagCount={2}
            aria-label={`Narrow by ${choice.label}`}
            placeholder={choice.label}
            className="least-150 most-280"
            optionFilterProp="label"
            value={(own?.values ?? []) as string[]}
            onChange={(values) => onChange(values.length > 0 ? [...others, { column: choice.column, values }] : others)}
            options={choice.values.map((value) => ({ value: value as string, label: shownKey(value) }))}
          />
        );
      })}
      {picked.map((item) => (
        <span key={`${item.column}.${item.from_exhibit}`} className="pill">
          {columnHeading(item.column)}: <b>{item.values.map(shownKey).join(", ")}</b>
          <button
            type="button"
            className="plain soft"
            aria-label={`Take out ${item.column}`}
            onClick={() => onChange(filters.filter((other) => other !== item))}
          >
            ×
          </button>
        </span>
      ))}
      {filters.length > 0 && (
        <button type="button" className="textlink small" onClick={() => onChange([])}>
          Show all
        </button>
      )}
    </div>
  );
}

/** The filters after a mark of an exhibit was selected: selected again, it is let go. */
export function withSelected(filters: PageFilter[], exhibit: number, column: string, value: PageFilter["values"][number]): PageFilter[] {
  const same = filters.find((item) => item.from_exhibit === exhibit && item.column === column);
  const others = filters.filter((item) => item !== same && item.from_exhibit !== exhibit);
  return same?.values.includes(value) ? others : [...others, { column, values: [value], from_exhibit: exhibit }];
}
