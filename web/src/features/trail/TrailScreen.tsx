import { useInfiniteQuery } from "@tanstack/react-query";
import { Button, Input } from "antd";
import { useState } from "react";
import { queries } from "../../api/queries";
import { Notice } from "../../ui/Notice";

function brief(details: Record<string, unknown>): string {
  return Object.entries(details)
    .filter(([key]) => !["before", "after", "document", "hash"].includes(key))
    .map(
      ([key, value]) =>
        `${key}: ${typeof value === "string" ? value : Array.isArray(value) && value.every((item) => typeof item === "string") ? value.join(", ") : JSON.stringify(value)}`,
    )
    .join(" · ");
}

/** Who did and looked at what, newest first. */
export default function TrailScreen() {
  const [search, setSearch] = useState("");
  const trail = useInfiniteQuery(queries.trail());
  const entries = (trail.data?.pages ?? []).flatMap((page) => page.entries);
  const shown = entries.filter((entry) =>
    `${entry.actor} ${entry.action} ${entry.subject} ${brief(entry.details)}`.toLowerCase().includes(search.toLowerCase()),
  );
  return (
    <div className="pad">
      <div className="row">
        <h2>Trail</h2>
        <span className="soft">every change, release, sign-in and look as somebody else</span>
        <span className="grow" />
        <Input
          allowClear
          aria-label="Find in the trail"
          placeholder="Find in what is shown"
          className="wide-240"
          value={search}
          onChange={(event) => setSearch(event.target.value)}
        />
      </div>
      {trail.isError && <Notice kind="bad">{trail.error.message}</Notice>}
      <table className="data">
        <thead>
          <tr>
            <th>When</th>
            <th>Who</th>
            <th>Did</th>
            <th>What</th>
            <th>More</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((entry) => (
            <tr key={entry.id}>
              <td>{new Date(entry.at).toLocaleString("en-GB", { dateStyle: "short", timeStyle: "medium" })}</td>
              <td>{entry.actor}</td>
              <td>{entry.action}</td>
              <td>{entry.subject}</td>
              <td className="soft small wraps">{brief(entry.details)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {shown.length === 0 && !trail.isPending && <p className="soft">Nothing matches.</p>}
      {trail.hasNextPage && (
        <Button loading={trail.isFetchingNextPage} onClick={() => void trail.fetchNextPage()}>
          Older entries
        </Button>
      )}
    </div>
  );
}
