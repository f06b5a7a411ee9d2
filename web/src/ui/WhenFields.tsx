import { Input, InputNumber, Segmented, Select } from "antd";
import type { Schemas } from "../api/client";

type When = Schemas["When"];
type Day = NonNullable<When["days"]>[number];

const DAYS: { value: Day; label: string }[] = [
  { value: "mon", label: "Monday" },
  { value: "tue", label: "Tuesday" },
  { value: "wed", label: "Wednesday" },
  { value: "thu", label: "Thursday" },
  { value: "fri", label: "Friday" },
  { value: "sat", label: "Saturday" },
  { value: "sun", label: "Sunday" },
];

/** When something runs by itself: at a time of day, on some days if you like, or every so many minutes. */
export function WhenFields({ when, change, zone }: { when: When; change: (when: When) => void; zone: string }) {
  return (
    <div className="row wrap">
      <Segmented
        aria-label="How often"
        value={when.minutes == null ? "day" : "minutes"}
        onChange={(value) => change(value === "day" ? { at: "03:30", days: [], minutes: null } : { minutes: 60, at: null, days: [] })}
        options={[
          { value: "day", label: "at a time of day" },
          { value: "minutes", label: "every so many minutes" },
        ]}
      />
      {when.minutes == null ? (
        <>
          <Input
            aria-label="Time of day"
            type="time"
            className="wide-120"
            value={when.at ?? ""}
            onChange={(event) => change({ ...when, at: event.target.value })}
          />
          <span className="soft small">by the clock of {zone}</span>
          <Select
            mode="multiple"
            aria-label="On which days"
            className="least-210"
            placeholder="every day"
            value={when.days ?? []}
            onChange={(days: Day[]) => change({ ...when, days })}
            options={DAYS}
          />
        </>
      ) : (
        <InputNumber
          aria-label="Minutes between runs"
          min={5}
          max={1440}
          precision={0}
          value={when.minutes}
          onChange={(minutes) => change({ ...when, minutes: minutes ?? 60 })}
        />
      )}
    </div>
  );
}

/** When something runs, in words. */
export function runsAt({ minutes, at, days = [] }: When): string {
  if (minutes != null) return `every ${minutes} minutes`;
  return days.length > 0 ? `${days.join(", ")} at ${at}` : `daily at ${at}`;
}
