import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button, Modal } from "antd";
import { type ReactNode, useState } from "react";
import { ApiError, type Schemas } from "../api/client";
import { queries, useChanged } from "../api/queries";
import { Breaks, Impact } from "./Impact";
import { Notice } from "./Notice";

type Answer = Schemas["ImpactAnswer"];

let asked = 0;

/** Shows who gains and who loses, and only then makes the change; it acts at once. */
export function ConfirmImpact({
  title,
  send,
  close,
  done,
  children,
  danger,
}: {
  title: string;
  /** Tries the change, or makes it. */
  send: (onlyTry: boolean) => Promise<Answer>;
  close: () => void;
  done?: () => void;
  children?: ReactNode;
  danger?: boolean;
}) {
  const changed = useChanged();
  const { message } = App.useApp();
  const [turn] = useState(() => ++asked);
  const preview = useQuery(queries.tried([turn], () => send(true)));
  const make = useMutation({
    mutationFn: () => send(false),
    onSuccess: async () => {
      await changed("people", "roles");
      message.success("Done. It acts at once.");
      close();
      done?.();
    },
  });
  const error = make.error ?? preview.error;
  return (
    <Modal
      open
      width={660}
      title={title}
      onCancel={close}
      okText="Do it now"
      okButtonProps={{ disabled: !preview.data, loading: make.isPending, danger }}
      onOk={() => make.mutate()}
    >
      {children}
      {error && (
        <Notice kind="bad">
          {error.message}
          {error instanceof ApiError &&
            error.problems.length > 1 &&
            error.problems.slice(0, 12).map((problem) => (
              <div key={`${problem.path}${problem.message}`} className="small">
                {problem.path && <code>{problem.path}</code>} {problem.message}
              </div>
            ))}
        </Notice>
      )}
      {error instanceof ApiError && error.status === 409 && (
        <Button
          onClick={async () => {
            await changed("people", "roles");
            close();
          }}
        >
          Load what is there now
        </Button>
      )}
      {preview.isPending && <p className="soft">Working out who gains and loses…</p>}
      {preview.data && <Impact groups={preview.data.viewers} />}
      {preview.data && <Breaks promises={preview.data.broken} />}
    </Modal>
  );
}
