import { useQuery } from "@tanstack/react-query";
import { Button, Input, type InputRef, Popover } from "antd";
import { useRef, useState } from "react";
import type { ModelAnswer } from "../api/client";
import { queries } from "../api/queries";
import { useDelayed } from "./useDelayed";

/** A filter on a question: a condition, checked as it is typed, applied when it checks out. */
export function FilterField({
  model,
  table,
  where,
  onChange,
}: {
  model: ModelAnswer;
  table: string | null;
  where: string | null;
  onChange: (where: string | null) => void;
}) {
  const [open, setOpen] = useState(false);
  const field = useRef<InputRef>(null);
  const [text, setText] = useState(where ?? "");
  const settled = useDelayed(text, 120).trim();
  const check = useQuery({
    ...queries.checked({ model: model.document.name, table, where: settled, kind: "question" }),
    enabled: settled !== "",
  });
  const problem = settled === "" ? null : (check.data?.problem ?? null);
  const apply = () => {
    onChange(settled || null);
    setOpen(false);
  };
  return (
    <Popover
      open={open}
      onOpenChange={setOpen}
      afterOpenChange={(shown) => shown && field.current?.focus()}
      trigger="click"
      placement="bottomLeft"
      content={
        <div className="wide-360">
          <Input
            ref={field}
            aria-label="Filter"
            className="mono"
            placeholder={table ? "status = 'open'" : "site.status = 'open'"}
            value={text}
            onChange={(event) => setText(event.target.value)}
            onPressEnter={() => !problem && apply()}
            status={problem ? "error" : ""}
          />
          <p className={`small ${problem ? "warn" : "soft"}`}>
            {problem
              ? `${problem.message} ${problem.nearest ? `Nearest: ${problem.nearest}.` : ""}`
              : "A condition over columns of the model."}
          </p>
          <div className="row">
            <Button type="primary" size="small" disabled={Boolean(problem) || check.isFetching} onClick={apply}>
              Apply
            </Button>
            <Button
              size="small"
              disabled={!where}
              onClick={() => {
                setText("");
                onChange(null);
                setOpen(false);
              }}
            >
              Take out
            </Button>
          </div>
        </div>
      }
    >
      <Button>{where ? <code className="cut most-240">{where}</code> : "+ filter"}</Button>
    </Popover>
  );
}
