import { InputNumber } from "antd";
import type { Schemas } from "../../../api/client";

type Bounds = Schemas["Bounds"];

/** Beyond what whatever comes one by one is held, within an hour. */
export function HourlyBounds({ bounds, change }: { bounds: Bounds; change: (bounds: Bounds) => void }) {
  return (
    <>
      <span>Held where</span>
      <div className="row wrap">
        within an hour more than
        <InputNumber
          aria-label="People who may gain"
          min={0}
          value={bounds.gain ?? 5}
          onChange={(gain) => change({ ...bounds, gain: gain ?? 0 })}
        />
        gain, or
        <InputNumber
          aria-label="People who may lose"
          min={0}
          value={bounds.lose ?? 20}
          onChange={(lose) => change({ ...bounds, lose: lose ?? 0 })}
        />
        lose a role
      </div>
    </>
  );
}
