import { Input, type InputProps } from "antd";
import { useId } from "react";

/** A text with what is offered for it; anything else may be typed. */
export function Offered({
  offers,
  change,
  ...input
}: Omit<InputProps, "onChange" | "list"> & { offers: string[]; change: (value: string) => void }) {
  const list = useId();
  return (
    <>
      <Input {...input} list={list} autoComplete="off" onChange={(event) => change(event.target.value)} />
      <datalist id={list}>
        {offers.map((offer) => (
          <option key={offer} value={offer} />
        ))}
      </datalist>
    </>
  );
}
