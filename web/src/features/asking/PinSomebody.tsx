import { Select } from "antd";
import { usePeople } from "../../state/directory";
import { useWorkbench } from "../../state/workbench";

/** For whom it is asked, where nobody is pinned yet. */
export function PinSomebody() {
  const { pin } = useWorkbench();
  const people = usePeople();
  return (
    <>
      <p className="soft">For whom? Pin somebody: all the data is nobody.</p>
      <Select
        showSearch
        aria-label="For whom"
        placeholder="Search by name or login"
        className="full above-6"
        optionFilterProp="label"
        value={null}
        options={people.data?.people.map((person) => ({ value: person.login, label: `${person.name} · ${person.login}` }))}
        onChange={(login: string) => {
          const person = people.data?.people.find((item) => item.login === login);
          if (person) pin({ key: `user:${login}`, title: person.name, detail: login, viewer: login });
        }}
      />
    </>
  );
}
