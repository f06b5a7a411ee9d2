import { Input, Select } from "antd";
import { useMemo } from "react";
import type { ModelAnswer, Schemas } from "../../api/client";
import { usePeople } from "../../state/directory";
import { useWorkbench } from "../../state/workbench";

type Page = Schemas["Page"];
type Props = { page: Page; model: ModelAnswer | undefined; shelves: Schemas["ShelfEntry"][]; onChange: (page: Page) => void };

/** What a page is: its label, shelf, model, tags, owner, and the columns readers may narrow it by. */
export function PageProperties({ page, model, shelves, onChange }: Props) {
  const bench = useWorkbench();
  const people = usePeople();
  const tags = useMemo(
    () => [...new Set(shelves.flatMap((shelf) => shelf.pages.flatMap((entry) => entry.page.tags ?? [])))].sort(),
    [shelves],
  );
  const columns = (model?.document.tables ?? []).flatMap((table) => (table.columns ?? []).map((column) => `${table.name}.${column.name}`));
  const set = (change: Partial<Page>) => onChange({ ...page, ...change });
  return (
    <div className="form exhibit-form">
      <label htmlFor="page-label">What people call it</label>
      <Input
        id="page-label"
        value={page.label ?? ""}
        placeholder={page.name}
        onChange={(event) => set({ label: event.target.value || null })}
      />
      <span>Shelf</span>
      <Select
        showSearch
        optionFilterProp="label"
        aria-label="Shelf"
        value={page.shelf}
        onChange={(shelf) => set({ shelf })}
        options={shelves.map((shelf) => ({ value: shelf.name, label: shelf.label }))}
      />
      <span>Model</span>
      <Select
        showSearch
        optionFilterProp="label"
        aria-label="Model of the page"
        value={page.model ?? undefined}
        disabled={(page.exhibits ?? []).length > 0}
        onChange={(next) => set({ model: next, filters: [] })}
        options={bench.models.map((item) => ({ value: item.name, label: item.label }))}
      />
      <span>Tags</span>
      <Select
        mode="tags"
        aria-label="Tags"
        placeholder="Tags that roles can speak of"
        value={page.tags ?? []}
        onChange={(next: string[]) => set({ tags: next })}
        options={tags.map((tag) => ({ value: tag, label: tag }))}
      />
      <span>Owner</span>
      <Select
        showSearch
        allowClear
        aria-label="Owner"
        placeholder="nobody"
        value={page.owner ?? undefined}
        onChange={(owner?: string) => set({ owner: owner ?? null })}
        optionFilterProp="label"
        options={people.data?.people.map((person) => ({ value: person.login, label: `${person.name} · ${person.login}` }))}
      />
      <span>Narrowed by</span>
      <Select
        mode="multiple"
        aria-label="Columns readers may narrow by"
        placeholder="columns offered to readers"
        value={page.filters ?? []}
        onChange={(filters) => set({ filters })}
        optionFilterProp="label"
        options={columns.map((name) => ({ value: name, label: name }))}
      />
      <label htmlFor="page-about">What it is for</label>
      <Input.TextArea
        id="page-about"
        autoSize={{ minRows: 2 }}
        value={page.about ?? ""}
        onChange={(event) => set({ about: event.target.value || null })}
      />
      <p className="wide soft small">A reader is offered only values they see, and a filter never matches a masked cell.</p>
    </div>
  );
}
