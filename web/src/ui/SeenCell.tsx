import type { ReactNode } from "react";
import type { Schemas } from "../api/client";

type CellState = NonNullable<Schemas["AlignedRow"]["states"][number]>[number];

type SeenCellProps = {
  state: CellState;
  number: boolean;
  children: ReactNode;
  ask?: object;
  /** What really stands there, where it is told to you and not to the viewer. */
  told?: ReactNode;
};

/** A cell of a table in one of the three states: told by shape and by words, never by colour alone. */
export function SeenCell({ state, number, children, ask, told }: SeenCellProps) {
  const align = number ? "number" : "";
  if (state === "hidden") {
    return (
      <td className={`hid ${align}`} {...ask}>
        {told !== undefined && <span className="told-only">{told}</span>}
        <span className="visually-hidden">withheld</span>
      </td>
    );
  }
  if (state === "masked") {
    return (
      <td className={align} title="masked: shown in part" {...ask}>
        <span className="msk">{children}</span>
        <span className="visually-hidden"> (masked)</span>
        {told !== undefined && <span className="told-only"> {told}</span>}
      </td>
    );
  }
  return (
    <td className={align} {...ask}>
      {children}
    </td>
  );
}
