import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { AutoComplete, Button, DatePicker, Input, Segmented } from "antd";
import { useState } from "react";
import { queries, type TrailFilters } from "../../api/queries";
import { usePeople, useRoles } from "../../state/directory";
import { useRights } from "../../state/rights";
import { plural } from "../../ui/figures";
import { Notice } from "../../ui/Notice";
import { type Entry, type Group, grouped, said } from "./grouped";
import "./trail.css";

/** Who did and looked at what, newest first, as one remembers it; each act opened to what was before and after. */
export default function TrailScreen() {
  const [filters, setFilters] = useState<TrailFilters>({});
  const [single, setSingle] = useState(false);
  const trail = useInfiniteQuery(queries.trail(filters));
  const people = usePeople();
  const roles = useRoles();
  const { everywhere } = useRights();
  const entries = (trail.data?.pages ?? []).flatMap((page) => page.entries);
  const groups = single ? entries.flatMap((entry) => grouped([entry])) : grouped(entries);
  const logins = (people.data?.people ?? []).map((person) => ({ value: person.login, label: `${person.name} · ${person.login}` }));
  const named = [
    ...logins,
    ...(roles.data?.roles ?? []).map((item) => ({ value: item.role.name, label: `role ${item.role.label ?? item.role.name}` })),
  ];
  const set = (part: TrailFilters) => setFilters({ ...filters, ...part });
  const actions = [...new Set(entries.map((entry) => entry.action))].sort();
  return (
    <div className="pad">
      <div className="row">
        <h2>Trail</h2>
        <span className="soft">every change, release, sign-in and look as somebody else</span>
        <span className="grow" />
        <Segmented
          aria-label="How entries stand"
          value={single ? "single" : "grouped"}
          onChange={(value) => setSingle(value === "single")}
          options={[
            { value: "grouped", label: "as one remembers" },
            { value: "single", label: "entry by entry" },
          ]}
        />
      </div>
      {everywhere("trail") && <Head filters={filters} />}
      <div className="row below-8 trail-filters">
        <AutoComplete
          aria-label="Who did it"
          placeholder="who did it"
          value={filters.who}
          options={logins}
          filterOption
          onChange={(who) => set({ who })}
          allowClear
        />
        <AutoComplete
          aria-label="What was done"
          placeholder="what was done"
          value={filters.action}
          options={actions.map((value) => ({ value }))}
          filterOption
          onChange={(action) => set({ action })}
          allowClear
        />
        <AutoComplete
          aria-label="About whom or what"
          placeholder="about whom, or which role"
          value={filters.about}
          options={named}
          filterOption
          onChange={(about) => set({ about })}
          allowClear
        />
        <DatePicker.RangePicker
          aria-label="Between two days"
          placeholder={["from day", "to day"]}
          allowEmpty={[true, true]}
          onChange={(days) => set({ since: days?.[0]?.format("YYYY-MM-DD"), until: days?.[1]?.format("YYYY-MM-DD") })}
        />
        {Object.values(filters).some(Boolean) && <Button onClick={() => setFilters({})}>Clear</Button>}
      </div>
      {trail.isError && <Notice kind="bad">{trail.error.message}</Notice>}
      <ul className="trail-groups" aria-label="Trail">
        {groups.map((group) => (
          <GroupItem key={group.key} group={group} />
        ))}
      </ul>
      {entries.length === 0 && !trail.isPending && <p className="soft">Nothing matches.</p>}
      {trail.hasNextPage && (
        <Button loading={trail.isFetchingNextPage} onClick={() => void trail.fetchNextPage()}>
          Older entries
        </Button>
      )}
    </div>
  );
}

/** Whether the trail is whole, its newest seal to keep elsewhere, and the way out to files. */
function Head({ filters }: { filters: TrailFilters }) {
  const head = useQuery(queries.trailHead());
  const [shown, setShown] = useState(false);
  const asked = new URLSearchParams(Object.entries(filters).filter((entry): entry is [string, string] => Boolean(entry[1])));
  if (!head.data) return null;
  const { number, seal, broken, removed_up_to, kept_days } = head.data;
  return (
    <div className="below-8">
      {broken ? (
        <Notice kind="bad">
          <b>The trail is not as it was written:</b> {broken}.
        </Notice>
      ) : (
        <div className="row small">
          <span>
            Whole: {plural(number - removed_up_to, "sealed entry", "sealed entries")}
            {kept_days ? `, kept for ${kept_days} days` : ""}
            {removed_up_to > 0 ? `; a summary stands for the first ${removed_up_to}` : ""}.
          </span>
          <button type="button" className="textlink" aria-expanded={shown} onClick={() => setShown(!shown)}>
            the newest seal
          </button>
          <span className="grow" />
          <a href={`/api/trail/export?as=csv&${asked.toString()}`} download>
            save as CSV
          </a>
          <a href={`/api/trail/export?as=jsonl&${asked.toString()}`} download>
            save as JSON lines, with seals
          </a>
        </div>
      )}
      {shown && (
        <div className="above-4">
          <Input
            readOnly
            aria-label="The newest seal"
            className="mono"
            value={`${number} ${seal}`}
            onFocus={(event) => event.target.select()}
          />
          <p className="soft small">
            Keep it outside of this machine. <code>moorland trail verify --seal "{number} …"</code> tells then whether anything was changed,
            taken out, put in or cut off up to here.
          </p>
        </div>
      )}
    </div>
  );
}

function GroupItem({ group }: { group: Group }) {
  const [open, setOpen] = useState(false);
  return (
    <li>
      <button type="button" className="trail-line" aria-expanded={open} onClick={() => setOpen(!open)}>
        <span className="trail-when">{between(group)}</span>
        <b>{group.actor}</b>
        <span className="wraps">{said(group)}</span>
        {group.entries.length > 1 && <span className="soft small">{plural(group.entries.length, "entry", "entries")}</span>}
      </button>
      {open && (
        <ol className="trail-entries">
          {group.entries.map((entry) => (
            <EntryItem key={entry.id} entry={entry} />
          ))}
        </ol>
      )}
    </li>
  );
}

function EntryItem({ entry }: { entry: Entry }) {
  const { before, after, ...rest } = entry.details;
  return (
    <li>
      <div>
        <span className="soft small">
          {entry.id} · {new Date(entry.at).toLocaleString("en-GB", { dateStyle: "short", timeStyle: "medium" })}
        </span>{" "}
        {entry.action} · <b>{entry.subject}</b>
      </div>
      {Object.entries(rest).map(([key, value]) => (
        <div key={key} className="small wraps">
          <span className="soft">{key}:</span> {shown(value)}
        </div>
      ))}
      {(before !== undefined || after !== undefined) && (
        <dl className="trail-sides">
          <dt>before</dt>
          <dd>{before === undefined ? <span className="soft">nothing</span> : <code>{JSON.stringify(before, null, 1)}</code>}</dd>
          <dt>after</dt>
          <dd>{after === undefined ? <span className="soft">nothing</span> : <code>{JSON.stringify(after, null, 1)}</code>}</dd>
        </dl>
      )}
    </li>
  );
}

function shown(value: unknown): string {
  if (typeof value === "string") return value;
  return Array.isArray(value) && value.every((item) => typeof item === "string") ? value.join(", ") : JSON.stringify(value);
}

/** When a group was: the day, and from when to when. */
function between(group: Group): string {
  const from = new Date(group.from);
  const until = new Date(group.until);
  const clock = (at: Date) => at.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
  const day = until.toLocaleDateString("en-GB", { day: "numeric", month: "short" });
  return clock(from) === clock(until) ? `${day}, ${clock(until)}` : `${day}, ${clock(from)}–${clock(until)}`;
}
