import { Select } from "antd";
import { usePeople } from "../../../state/directory";

/** Where people are at home of whom nothing else says it. */
export function Home({ id, home, change }: { id: string; home: string | null; change: (home: string | null) => void }) {
  const people = usePeople();
  return (
    <>
      <label htmlFor={id}>Else at home in</label>
      <Select
        id={id}
        allowClear
        showSearch
        placeholder="no organization"
        optionFilterProp="label"
        value={home}
        onChange={(chosen?: string | null) => change(chosen ?? null)}
        options={(people.data?.organizations ?? []).map((item) => ({ value: item.name, label: item.label }))}
      />
    </>
  );
}
