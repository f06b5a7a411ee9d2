import { Button } from "antd";
import type { ComponentType } from "react";

type Parts = { OkBtn: ComponentType; CancelBtn: ComponentType };

/** The foot of a dialog about something that can be deleted: deleting apart on the left, the rest on the right. */
export function DialogFooter({ remove, parts: { OkBtn, CancelBtn } }: { remove: (() => void) | null; parts: Parts }) {
  return (
    <div className="row">
      {remove && (
        <Button danger onClick={remove}>
          Delete
        </Button>
      )}
      <span className="grow" />
      <CancelBtn />
      <OkBtn />
    </div>
  );
}
