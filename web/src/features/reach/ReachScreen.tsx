import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { DatePicker, Select } from "antd";
import { useMemo, useState } from "react";
import { queries } from "../../api/queries";
import { useEdited } from "../../state/asking";
import { usePeople, useRoles } from "../../state/directory";
import { useModel, useWorkbench } from "../../state/workbench";
import { count, plural } from "../../ui/figures";
import { Empty, Notice } from "../../ui/Notice";
import { SaveAs } from "../../ui/SaveAs";
import { Underway } from "../../ui/Underway";
import { ReachTable } from "./ReachTable";
import { type Filter, type Grouping, narrowed, type Person, reachLines, type Sorting, sorted } from "./reachLines";
import { StandingOut } from "./StandingOut";
import "./reach.css";
import "../../ui/rows-view.css";

type Against = { kind: "nothing" } | { kind: "live" } | { kind: "release"; number: number } | { kind: "day"; day: string | null };

const GROUPINGS: { value: Grouping; label: string }[] = [
  { value: "class", label: "who sees the same" },
  { value: "organization", label: "organization" },
  { value: "group", label: "group" },
  { value: "role", label: "role" },
  { value: "person", label: "person" },
];

/** Everybody at once: people who see exactly the same stand together, and what each of them sees. */
export default function ReachScreen() {
  const bench = useWorkbench();
  const edited = useEdited();
  const people = usePeople();
  const roles = useRoles();
  const model = useModel();
  const releases = useQuery(queries.releases());
  const pages = useQuery(queries.pages(bench.state));
  const [grouping, setGrouping] = useState<Grouping>("class");
  const [measures, setMeasures] = useState<string[]>([]);
  const [against, setAgainst] = useState<Against>({ kind: "nothing" });
  const [filter, setFilter] = useState<Filter>({ kind: "everybody" });
  const [sorting, setSorting] = useState<Sorting>("first");
  const [opened, setOpened] = useState<string[]>([]);
  const request = {
    state: bench.state,
    as_of: bench.day,
    model: bench.model,
    measures,
    edited,
    against_live: against.kind === "live",
    against_release: against.kind === "release" ? against.number : null,
    against_day: against.kind === "day" ? against.day : null,
  };
  const found = useQuery({ ...queries.reach(request), enabled: bench.model !== null, placeholderData: keepPreviousData });
  const known = useMemo(() => new Map((people.data?.people ?? []).map((person) => [person.login, person as Person])), [people.data]);
  const labels = useMemo(
    () => ({
      organizations: new Map((people.data?.organizations ?? []).map((item) => [item.name, item.label])),
      groups: new Map((people.data?.groups ?? []).map((item) => [item.name, item.label])),
      roles: new Map((roles.data?.roles ?? []).map((entry) => [entry.role.name, entry.role.label ?? entry.role.name])),
    }),
    [people.data, roles.data],
  );
  const lines = useMemo(() => {
    const classes = narrowed(found.data?.classes ?? [], filter, new Set(found.data?.quiet ?? []));
    return sorted(reachLines(classes, grouping, known, labels), sorting);
  }, [found.data, filter, grouping, known, labels, sorting]);
  const tables = found.data?.tables ?? [];
  const short = (name: string) => name.slice(name.indexOf(".") + 1);
  const pageLabels = new Map(
    (pages.data?.shelves ?? []).flatMap((shelf) => shelf.pages).map((entry) => [entry.page.name, entry.page.label ?? entry.page.name]),
  );
  const changed = lines.filter((line) => line.otherwise.size > 0).length;
  const total = new Set(lines.flatMap((line) => line.logins)).size;
  if (!bench.model && !bench.loading) return <Empty title="No model yet" />;
  return (
    <div className="pad reach">
      <div className="row wrap below-8">
        <span className="soft">by</span>
        <Select aria-label="By" value={grouping} onChange={setGrouping} options={GROUPINGS} className="least-160" />
        <span className="soft">with</span>
        <Select
          mode="multiple"
          aria-label="Measures"
          placeholder="figures of measures"
          value={measures}
          onChange={(names) => setMeasures(names.slice(0, 6))}
          className="least-170"
          maxTagCount={1}
          optionFilterProp="label"
          options={(model.data?.document.measures ?? []).map((item) => ({ value: item.name, label: item.label ?? item.name }))}
        />
        <span className="soft">only</span>
        <Select
          showSearch
          aria-label="Only"
          value={filter.kind === "table" ? `table:${filter.at}` : filter.kind}
          onChange={(value: string) =>
            setFilter(value.startsWith("table:") ? { kind: "table", at: Number(value.slice(6)) } : ({ kind: value } as Filter))
          }
          className="least-170"
          optionFilterProp="label"
          options={[
            { value: "everybody", label: "everybody" },
            { value: "no_role", label: "who holds no role" },
            { value: "quiet", label: "not signed in for 90 days" },
            { value: "changed", label: "who sees otherwise", disabled: against.kind === "nothing" },
            ...tables.map((table, at) => ({ value: `table:${at}`, label: `who sees any of ${short(table.name)}` })),
          ]}
        />
        <span className="soft">compared with</span>
        <Select
          aria-label="Compared with"
          value={against.kind === "release" ? `release:${against.number}` : against.kind}
          onChange={(value: string) => {
            if (value.startsWith("release:")) setAgainst({ kind: "release", number: Number(value.slice(8)) });
            else setAgainst(value === "day" ? { kind: "day", day: null } : ({ kind: value } as Against));
            if (value === "nothing" && filter.kind === "changed") setFilter({ kind: "everybody" });
          }}
          className="least-130"
          options={[
            { value: "nothing", label: "nothing" },
            { value: "live", label: "the live release", disabled: bench.live === null || bench.state === "live" },
            ...(releases.data?.releases ?? [])
              .filter((release) => release.number !== bench.live)
              .slice(0, 30)
              .map((release) => ({ value: `release:${release.number}`, label: `release ${release.number}` })),
            { value: "day", label: "another day" },
          ]}
        />
        {against.kind === "day" && (
          <DatePicker
            aria-label="Another day"
            onChange={(picked) => setAgainst({ kind: "day", day: picked ? picked.format("YYYY-MM-DD") : null })}
          />
        )}
        <span className="grow" />
        <SaveAs address="/api/reach/export" body={request} name="reach" />
      </div>
      {found.isError && <Notice kind="bad">{found.error.message}</Notice>}
      {found.isPending && bench.model && <LookingAsEverybody />}
      {found.data && (
        <>
          <p className="below-8">
            <b>{plural(total, "person", "people")}</b> in{" "}
            {plural(found.data.classes.length, "class of people who see exactly the same", "classes of people who see exactly the same")}
            {against.kind !== "nothing" && (
              <span>
                {" · "}
                {changed === 0
                  ? "nothing is otherwise"
                  : `${plural(changed, "line is", "lines are")} otherwise, outlined; how it was is told on pointing`}
              </span>
            )}
          </p>
          <StandingOut found={found.data.standing_out} />
          <ReachTable
            lines={lines}
            answer={found.data}
            model={bench.model ?? ""}
            opened={opened}
            setOpened={setOpened}
            sorting={sorting}
            setSorting={setSorting}
            labels={labels}
            pages={pageLabels}
            measures={(model.data?.document.measures ?? []).filter((item) => measures.includes(item.name))}
            people={known}
            alone={grouping === "class" || grouping === "person"}
            busy={found.isFetching}
          />
          <p className="soft small above-6">
            Shares are rows of each table; open a table to see its columns. {count(found.data.sensitive.length)} columns are always told,
            because some role masks or hides them, or carry a tag that marks what is sensitive.
          </p>
        </>
      )}
    </div>
  );
}

/** How many people have been looked at so far. */
function LookingAsEverybody() {
  const far = useQuery({ ...queries.reachUnderway(), refetchInterval: 400 });
  return <Underway what="Looking as everybody at once" each="person" done={far.data?.done} of={far.data?.of} />;
}
