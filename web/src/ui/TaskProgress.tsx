import { useQuery } from "@tanstack/react-query";
import { Button, Progress } from "antd";
import { useEffect, useRef } from "react";
import { api, data, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { count } from "./figures";
import { Notice } from "./Notice";

type Task = Schemas["TaskAnswer"];

const OVER = new Set(["done", "failed", "cancelled", "interrupted"]);

/** How far long work is. It goes on when the screen is left; `finished` is told once how it ended. */
export function TaskProgress({ id, finished }: { id: string; finished: (task: Task) => void }) {
  const told = useRef(false);
  const task = useQuery({
    ...queries.task(id),
    refetchInterval: (query) => (query.state.data && OVER.has(query.state.data.state) ? false : 400),
  });
  useEffect(() => {
    if (task.data && OVER.has(task.data.state) && !told.current) {
      told.current = true;
      finished(task.data);
    }
  }, [task.data, finished]);
  if (task.isError) return <Notice kind="bad">{task.error.message}</Notice>;
  const now = task.data;
  if (!now) return <p className="soft">Starting…</p>;
  if (now.state === "failed") return <Problems task={now} />;
  if (now.state === "cancelled") return <Notice kind="careful">Cancelled. Nothing was changed.</Notice>;
  if (now.state === "interrupted")
    return <Notice kind="careful">The server was stopped meanwhile. Nothing was changed; start again.</Notice>;
  return (
    <div className="most-520" data-testid="task">
      <p>
        {now.state === "waiting" ? "Waiting for other work to end" : now.state === "done" ? "Done" : now.step}
        {now.total > 0 && now.state !== "done" && (
          <span className="soft">
            {" "}
            · {count(now.done)} of {count(now.total)} rows
          </span>
        )}
      </p>
      <Progress
        percent={now.state === "done" ? 100 : now.total > 0 ? Math.floor((100 * now.done) / now.total) : 0}
        status={now.state === "done" ? "success" : "active"}
      />
      {!OVER.has(now.state) && (
        <p className="row">
          <Button onClick={() => void data(api.DELETE("/api/tasks/{key}", { params: { path: { key: id } } })).then(() => task.refetch())}>
            Cancel
          </Button>
          <span className="soft small">You may leave this screen; the work goes on.</span>
        </p>
      )}
    </div>
  );
}

/** Why work failed, each fault with its place. */
function Problems({ task }: { task: Task }) {
  return (
    <Notice kind="bad">
      <b>Nothing was changed.</b>
      {task.problems.map((problem) => (
        <div key={`${problem.path}${problem.message}`}>
          {problem.path && <code>{problem.path}</code>} {problem.message}
        </div>
      ))}
    </Notice>
  );
}
