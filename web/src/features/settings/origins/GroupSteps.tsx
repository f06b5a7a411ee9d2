import { Checkbox, Input, Select } from "antd";
import { usePeople } from "../../../state/directory";
import { Notice } from "../../../ui/Notice";
import { Offered } from "../../../ui/Offered";
import { type Directory, entryValues, type Setting, type Tried } from "./writing";

const MEMBERS = [
  { value: "member", label: "member: names of entries" },
  { value: "uniqueMember", label: "uniqueMember: names of entries" },
  { value: "memberUid", label: "memberUid: logins" },
];

/** Where groups are, and which of them fill groups here; people in groups inside a group are counted. */
export function GroupsStep({ text, set, there }: { text: Directory; set: Setting; there: Tried | undefined }) {
  const people = usePeople();
  const own = text.groups ?? null;
  const listed = text.listed ?? [];
  const found = there?.groups ?? [];
  const change = (part: Partial<NonNullable<Directory["groups"]>>) =>
    set({
      groups: {
        base: "",
        filter: "(objectClass=groupOfNames)",
        key: text.people.key ?? "entryUUID",
        name: "cn",
        member: "member",
        ...own,
        ...part,
      },
    });
  const list = (entry: string, part: Partial<(typeof listed)[number]> | null) => {
    const others = listed.filter((item) => item.entry !== entry);
    const group = found.find((item) => item.entry === entry);
    const present = listed.find((item) => item.entry === entry) ?? { entry, name: group?.name ?? entry, group: group?.name ?? entry };
    set({ listed: part === null ? others : [...others, { ...present, ...part }] });
  };
  const here = (people.data?.groups ?? []).map((item) => item.name);
  return (
    <>
      <div className="answers">
        <label htmlFor="groups-base">Base</label>
        <Offered
          id="groups-base"
          autoFocus
          className="mono"
          placeholder="ou=groups,dc=example,dc=org"
          value={own?.base ?? ""}
          offers={there?.bases ?? []}
          change={(base) => (base === "" ? set({ groups: null, listed: [] }) : change({ base }))}
        />
        {own && (
          <>
            <label htmlFor="groups-filter">Filter</label>
            <Input
              id="groups-filter"
              className="mono"
              value={own.filter ?? ""}
              onChange={(event) => change({ filter: event.target.value })}
            />
            <label htmlFor="groups-member">Members</label>
            <Select
              id="groups-member"
              showSearch
              optionFilterProp="label"
              value={own.member ?? "member"}
              options={MEMBERS}
              onChange={(member: string) => change({ member })}
            />
          </>
        )}
      </div>
      {own && there?.reached && (
        <>
          <h3 className="above-14">What is there</h3>
          {found.length === 0 && <Notice kind="careful">No group is found there. Look at the base and the filter, then look again.</Notice>}
          {found.length > 0 && (
            <table className="data" aria-label="Real groups">
              <thead>
                <tr>
                  <th>fills</th>
                  <th>group there</th>
                  <th>people, with groups inside</th>
                  <th>group here</th>
                  <th>may carry duties</th>
                </tr>
              </thead>
              <tbody>
                {found.map((group) => {
                  const chosen = listed.find((item) => item.entry === group.entry);
                  return (
                    <tr key={group.entry}>
                      <td>
                        <Checkbox
                          aria-label={`${group.name} fills a group`}
                          checked={chosen !== undefined}
                          onChange={(event) => list(group.entry, event.target.checked ? {} : null)}
                        />
                      </td>
                      <td title={group.where}>{group.name}</td>
                      <td>
                        {group.members.toLocaleString("en-GB")}
                        {group.inner > 0 && <span className="soft small"> · {group.inner} inside</span>}
                      </td>
                      <td>
                        {chosen ? (
                          <Offered
                            aria-label={`Group here for ${group.name}`}
                            className="wide-220"
                            value={chosen.group}
                            offers={here}
                            change={(value) => list(group.entry, { group: value })}
                          />
                        ) : (
                          <span className="soft">–</span>
                        )}
                      </td>
                      <td>
                        {chosen && (
                          <Checkbox
                            aria-label={`${group.name} may carry duties`}
                            checked={chosen.duties ?? false}
                            onChange={(event) => list(group.entry, { duties: event.target.checked })}
                          />
                        )}
                      </td>
                    </tr>
                  );
                })}
              </tbody>
            </table>
          )}
        </>
      )}
    </>
  );
}

/** Which attributes here get their values from which of the directory's. */
export function AttributesStep({ text, set, there }: { text: Directory; set: Setting; there: Tried | undefined }) {
  const people = usePeople();
  const given = text.people.attributes ?? {};
  const names = there?.attributes ?? [];
  const give = (name: string, value: string) => {
    const { [name]: _, ...others } = given;
    set({ people: { ...text.people, attributes: value === "" ? others : { ...others, [name]: value } } });
  };
  const examples = (described: string | undefined) =>
    (there?.people ?? [])
      .map((entry) => entryValues(entry, described).join(", "))
      .filter((value) => value !== "")
      .slice(0, 3)
      .join(" · ");
  const definitions = people.data?.attributes ?? [];
  return (
    <>
      {definitions.length === 0 && <p className="soft">No attribute is defined yet. They are made under People.</p>}
      {definitions.length > 0 && (
        <table className="data" aria-label="Attributes here">
          <thead>
            <tr>
              <th>attribute here</th>
              <th>comes from</th>
              <th>for example</th>
            </tr>
          </thead>
          <tbody>
            {definitions.map((item) => (
              <tr key={item.name}>
                <td>
                  {item.name} <span className="soft small">{item.multiple ? `${item.type}, several` : item.type}</span>
                </td>
                <td>
                  <Offered
                    aria-label={`Where ${item.name} comes from`}
                    className="wide-220 mono"
                    placeholder="kept here"
                    value={given[item.name] ?? ""}
                    offers={names}
                    change={(value) => give(item.name, value)}
                  />
                </td>
                <td className="wraps small">{examples(given[item.name]) || <span className="soft">–</span>}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}
