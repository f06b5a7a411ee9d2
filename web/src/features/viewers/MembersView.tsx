import { useQuery } from "@tanstack/react-query";
import { Select } from "antd";
import { useState } from "react";
import type { ModelAnswer } from "../../api/client";
import { queries } from "../../api/queries";
import { useWorkbench } from "../../state/workbench";
import { Empty, Notice } from "../../ui/Notice";
import { PresenceTable } from "./PresenceTable";

/** The members of a hierarchy with the rows each viewer sees at or beneath them. */
export function MembersView({
  model,
  differing,
  setDiffering,
}: {
  model: ModelAnswer;
  differing: boolean;
  setDiffering: (on: boolean) => void;
}) {
  const bench = useWorkbench();
  const hierarchies = model.document.hierarchies ?? [];
  const [chosen, choose] = useState<string | null>(null);
  const hierarchy = hierarchies.find((item) => item.name === chosen) ?? hierarchies[0];
  const asked = useQuery({
    ...queries.evaluated({
      state: bench.state,
      as_of: bench.day,
      viewers: [{ all_data: true }, ...bench.pins.map((pin) => pin.viewer)],
      ask: [{ members: { model: model.document.name, hierarchy: hierarchy?.name ?? "" } }],
    }),
    enabled: hierarchy !== undefined,
  });
  if (!hierarchy) return <Empty title="No hierarchy in this model" />;
  const answers = (asked.data?.viewers ?? []).map((entry) => {
    const answer = entry.answers[0];
    return new Map(answer && "members" in answer ? answer.members.map((member) => [JSON.stringify(member.path), member]) : []);
  });
  const every = new Map(answers.flatMap((members) => [...members].map(([key, member]) => [key, member.path] as const)));
  const lines = [...every]
    .sort(([, one], [, other]) => JSON.stringify(one).localeCompare(JSON.stringify(other)))
    .map(([key, path]) => ({
      key,
      title: String(path.at(-1) ?? "(blank)"),
      indent: path.length - 1,
      subject: {
        title: path.map((part) => String(part ?? "(blank)")).join(" › "),
        ...(path.includes(null) ? {} : { who: { model: model.document.name, hierarchy: hierarchy.name, path: path as never } }),
      },
      all: answers[0]?.get(key)?.rows ?? null,
      there: answers.slice(1).map((members) => members.get(key)?.rows ?? null),
    }));
  return (
    <>
      <div className="row asked">
        <span className="soft">members of</span>
        <Select
          aria-label="Hierarchy"
          value={hierarchy.name}
          onChange={choose}
          className="least-170"
          options={hierarchies.map((item) => ({ value: item.name, label: item.label ?? item.name }))}
        />
        <span className="soft small">rows of {hierarchy.table} at or beneath each</span>
      </div>
      {asked.isError && <Notice kind="bad">{asked.error.message}</Notice>}
      <PresenceTable
        label="Members"
        what={hierarchy.label ?? hierarchy.name}
        lines={lines}
        differing={differing}
        setDiffering={setDiffering}
        busy={asked.isFetching}
        empty="No member."
      />
    </>
  );
}
