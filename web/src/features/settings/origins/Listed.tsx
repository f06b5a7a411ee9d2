import { Button, Checkbox, Input } from "antd";
import type { Schemas } from "../../../api/client";
import { usePeople } from "../../../state/directory";
import { Offered } from "../../../ui/Offered";

type Item = Schemas["ListedGroup"];

/** Groups of an origin that fill groups here, one a line. */
export function Listed({
  listed,
  set,
  unlisted,
  what,
}: {
  listed: Item[];
  set: (listed: Item[]) => void;
  unlisted: Schemas["UnlistedGroup"][];
  what: string;
}) {
  const people = usePeople();
  const here = (people.data?.groups ?? []).map((item) => item.name);
  const change = (index: number, part: Partial<Item>) => set(listed.map((item, at) => (at === index ? { ...item, ...part } : item)));
  return (
    <>
      <div className="row above-14">
        <h3>Groups it fills</h3>
        <span className="soft small">{what}</span>
      </div>
      {listed.map((item, index) => (
        <div key={index} className="row below-8">
          <Input
            aria-label="Group there"
            className="wide-220 mono"
            placeholder="as it is called there"
            title={item.name}
            value={item.entry}
            onChange={(event) => change(index, { entry: event.target.value, name: item.name || event.target.value })}
          />
          fills
          <Offered
            aria-label="Group here"
            className="wide-220"
            placeholder="a group here"
            value={item.group}
            offers={here}
            change={(group) => change(index, { group })}
          />
          <Checkbox checked={item.duties ?? false} onChange={(event) => change(index, { duties: event.target.checked })}>
            may carry duties
          </Checkbox>
          <Button
            size="small"
            aria-label={`Take ${item.name || "this line"} off`}
            onClick={() => set(listed.filter((_, at) => at !== index))}
          >
            −
          </Button>
        </div>
      ))}
      {unlisted.map((group) => (
        <div key={group.entry} className="row below-8">
          <span className="soft">
            {group.name}, with {group.members} members, fills no group
          </span>
          <Button size="small" onClick={() => set([...listed, { entry: group.entry, name: group.name, group: group.name }])}>
            List it
          </Button>
        </div>
      ))}
      <Button size="small" onClick={() => set([...listed, { entry: "", name: "", group: "" }])}>
        + group
      </Button>
    </>
  );
}
