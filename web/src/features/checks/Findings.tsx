import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button, Checkbox, DatePicker, Input, Segmented } from "antd";
import dayjs from "dayjs";
import { useState } from "react";
import { Link } from "react-router-dom";
import { api, data, type Role, type Schemas } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { Notice } from "../../ui/Notice";
import { Underway } from "../../ui/Underway";
import { useTakeOver } from "./useTakeOver";

type Entry = Schemas["FindingEntry"];

const WEIGHTS = { high: "weighs most", middle: "worth a look", low: "good to know" } as const;

/** What looks wrong in the draft, weightiest first; each leads to the place that mends it. */
export function Findings() {
  const found = useQuery({ ...queries.findings(), refetchInterval: (query) => (query.state.data?.ready === false ? 700 : false) });
  const [weight, setWeight] = useState<string>("all");
  const [accepted, setAccepted] = useState(false);
  const changed = useChanged();
  const seen = useMutation({
    mutationFn: (keys: string[]) => data(api.POST("/api/findings/seen", { body: { keys } })),
    onSuccess: () => changed("roles"),
  });
  if (found.isError) return <Notice kind="bad">{found.error.message}</Notice>;
  if (!found.data || (!found.data.ready && !found.data.failed)) return <Underway what="Looking for what looks wrong" />;
  if (found.data.failed) return <Notice kind="bad">It could not be worked out: {found.data.failed}</Notice>;
  const all = found.data.findings;
  const open = all.filter((item) => !item.accepted);
  const fresh = open.filter((item) => item.new);
  const shown = all.filter((item) => (weight === "all" || item.weight === weight) && (accepted || !item.accepted));
  return (
    <section aria-label="Findings">
      <div className="row below-8">
        <h2>Findings</h2>
        <span className="soft">what looks wrong in the draft</span>
        <span className="grow" />
        {fresh.length > 0 && <b>{fresh.length} new</b>}
        <Button size="small" loading={seen.isPending} onClick={() => seen.mutate(all.map((item) => item.key))}>
          Mark all as seen
        </Button>
      </div>
      <div className="row below-8">
        <Segmented
          aria-label="Weight"
          value={weight}
          onChange={(value) => setWeight(String(value))}
          options={[
            { value: "all", label: `all ${open.length}` },
            ...(["high", "middle", "low"] as const).map((item) => ({
              value: item,
              label: `${WEIGHTS[item]} ${open.filter((entry) => entry.weight === item).length}`,
            })),
          ]}
        />
        <Checkbox checked={accepted} onChange={(event) => setAccepted(event.target.checked)}>
          also the {all.length - open.length} accepted
        </Checkbox>
      </div>
      {shown.length === 0 && <Notice kind="good">Nothing here that looks wrong.</Notice>}
      <ul className="check-list">
        {shown.map((item) => (
          <FindingItem key={item.key} item={item} />
        ))}
      </ul>
    </section>
  );
}

function FindingItem({ item }: { item: Entry }) {
  const [accepting, setAccepting] = useState(false);
  const takeOver = useTakeOver();
  const changed = useChanged();
  const { message } = App.useApp();
  const again = useMutation({
    mutationFn: () => data(api.DELETE("/api/findings/accepted/{key}", { params: { path: { key: item.key } } })),
    onSuccess: () => changed("roles"),
    onError: (error) => message.error(error.message),
  });
  return (
    <li>
      <div className="row">
        <span className={`check-mark ${item.weight}`}>{WEIGHTS[item.weight]}</span>
        {item.new && <span className="check-mark fresh">new</span>}
        <b className="wraps">{item.message}</b>
      </div>
      {item.evidence.length > 0 && <div className="small mono soft wraps">{item.evidence.join(" · ")}</div>}
      <div className="row above-4">
        <span className="small">{item.remedy}</span>
        <span className="grow" />
        <Link to={linkOf(item.place)}>
          to {item.place.label}
          {item.place.part ? `, ${item.place.part}` : ""}
        </Link>
        {item.edit && (
          <Button size="small" onClick={() => takeOver(item.edit as unknown as Role)}>
            Mend as an unsaved edit
          </Button>
        )}
        {item.accepted ? (
          <Button size="small" loading={again.isPending} onClick={() => again.mutate()}>
            Take up again
          </Button>
        ) : (
          <Button size="small" aria-expanded={accepting} onClick={() => setAccepting(!accepting)}>
            Let it stand…
          </Button>
        )}
      </div>
      {item.accepted && (
        <div className="small soft">
          Stands until {item.accepted.until}, by {item.accepted.by}: {item.accepted.reason}
        </div>
      )}
      {accepting && !item.accepted && <Accept item={item} close={() => setAccepting(false)} />}
    </li>
  );
}

function Accept({ item, close }: { item: Entry; close: () => void }) {
  const changed = useChanged();
  const [reason, setReason] = useState("");
  const [until, setUntil] = useState(inDays(90));
  const accept = useMutation({
    mutationFn: () => data(api.POST("/api/findings/accepted", { body: { key: item.key, reason, until } })),
    onSuccess: async () => {
      await changed("roles");
      close();
    },
  });
  return (
    <div className="row above-4">
      <Input
        aria-label="Why it may stand"
        placeholder="Why it may stand"
        className="most-420"
        value={reason}
        onChange={(event) => setReason(event.target.value)}
      />
      <span className="row small">
        comes back on
        <DatePicker
          aria-label="Comes back on"
          value={dayjs(until)}
          minDate={dayjs().add(1, "day")}
          allowClear={false}
          onChange={(day) => day && setUntil(day.format("YYYY-MM-DD"))}
        />
      </span>
      <Button size="small" type="primary" disabled={reason.trim() === ""} loading={accept.isPending} onClick={() => accept.mutate()}>
        Let it stand
      </Button>
      {accept.isError && <Notice kind="bad">{accept.error.message}</Notice>}
    </div>
  );
}

/** A day so many days from today, as it is written. */
function inDays(days: number): string {
  return new Date(Date.now() + days * 86_400_000).toISOString().slice(0, 10);
}

function linkOf(place: Entry["place"]): string {
  const name = encodeURIComponent(place.name);
  switch (place.kind) {
    case "role":
      return `/roles/${name}`;
    case "person":
      return `/people/${name}`;
    case "page":
      return `/pages/${name}`;
    case "model":
      return "/models";
    case "group":
    case "organization":
    case "attribute":
      return "/people";
    case "workspace":
      return place.label === "the roles" ? "/roles" : "/settings/duties";
  }
}
