import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button, Progress } from "antd";
import { useState } from "react";
import { api, data, type Schemas } from "../../../api/client";
import { queries, useChanged } from "../../../api/queries";
import { useRights } from "../../../state/rights";
import { plural } from "../../../ui/figures";
import { Notice } from "../../../ui/Notice";
import { ReviewLines } from "../../../ui/reviews/ReviewLines";
import { ReviewForm } from "./ReviewForm";

type Entry = Schemas["ReviewEntry"];

/** Reviews: whether people still need what they hold. */
export function Reviews() {
  const reviews = useQuery(queries.reviews());
  const [opened, setOpened] = useState<number | null>(null);
  const [making, setMaking] = useState(false);
  if (reviews.isError) return <Notice kind="bad">{reviews.error.message}</Notice>;
  if (!reviews.data) return null;
  const chosen = reviews.data.reviews.find((item) => item.id === opened);
  if (chosen) return <OneReview entry={chosen} close={() => setOpened(null)} />;
  return (
    <section aria-label="Reviews">
      <div className="row below-8">
        <h2>Reviews</h2>
        <span className="soft">do people still need what they hold? whoever keeps it answers, line by line</span>
        <span className="grow" />
        {reviews.data.may_open && (
          <Button type="primary" onClick={() => setMaking(true)}>
            Open a review
          </Button>
        )}
      </div>
      {reviews.data.reviews.length === 0 && (
        <p className="soft most-720">
          Nothing was reviewed yet. A review lists what people hold, with what it opens and when it was last used, and asks the keepers of
          roles, of organizations, or somebody you name. What they answer is kept as a sealed record.
        </p>
      )}
      {reviews.data.reviews.length > 0 && (
        <table className="data" aria-label="All reviews">
          <thead>
            <tr>
              <th>review</th>
              <th>state</th>
              <th>answered</th>
              <th>due</th>
              <th>opened by</th>
            </tr>
          </thead>
          <tbody>
            {reviews.data.reviews.map((item) => (
              <tr key={item.id}>
                <td>
                  <button type="button" className="textlink" onClick={() => setOpened(item.id)}>
                    {item.text.title}
                  </button>
                  {item.text.repeat && <span className="soft small"> · every {item.text.repeat}</span>}
                  {item.trouble && <div className="warn small">{item.trouble}</div>}
                  {!item.sound && <div className="warn small">Its record is not as it was sealed.</div>}
                </td>
                <td>{item.state === "planned" ? `opens ${item.opens_on}` : item.state}</td>
                <td className="wraps">
                  {item.lines > 0 && (
                    <Progress
                      percent={Math.floor((100 * item.answered) / item.lines)}
                      size="small"
                      format={() => `${item.answered} of ${item.lines}`}
                      aria-label={`${item.answered} of ${item.lines} answered`}
                    />
                  )}
                  {item.tasks > 0 && <span className="warn small">{plural(item.tasks, "task")} left</span>}
                </td>
                <td>{item.due ?? "–"}</td>
                <td>{item.opener ?? "nobody any more"}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {making && <ReviewForm close={() => setMaking(false)} opened={(key) => setOpened(key)} />}
    </section>
  );
}

function OneReview({ entry, close }: { entry: Entry; close: () => void }) {
  const detail = useQuery(queries.review(entry.id));
  const changed = useChanged();
  const { message, modal } = App.useApp();
  const { login, everywhere } = useRights();
  const end = useMutation({
    mutationFn: () => data(api.POST("/api/reviews/{key}/closing", { params: { path: { key: entry.id } } })),
    onSuccess: async () => {
      await changed("people", "roles");
      message.success(entry.state === "planned" ? "Opened." : "Closed, and sealed.");
    },
    onError: (error) => message.error(error.message),
  });
  const remove = useMutation({
    mutationFn: () => data(api.DELETE("/api/reviews/{key}", { params: { path: { key: entry.id }, query: { version: entry.version } } })),
    onSuccess: async () => {
      await changed("people");
      close();
    },
    onError: (error) => message.error(error.message),
  });
  const left = entry.lines - entry.answered;
  const keeps = everywhere("checks");
  return (
    <section aria-label={entry.text.title}>
      <div className="row below-8 wrap">
        <h2>{entry.text.title}</h2>
        <span className="soft">
          {entry.state === "closed"
            ? `closed ${entry.closed_at?.slice(0, 10)}`
            : entry.state === "planned"
              ? `opens ${entry.opens_on}`
              : `${entry.answered} of ${plural(entry.lines, "line")} answered, due ${entry.due}; then what is left is ${entry.text.unanswered === "take" ? "taken away" : "kept"}`}
        </span>
        <span className="grow" />
        {keeps && entry.state !== "planned" && (
          <>
            <Button href={`/api/reviews/${entry.id}/record`}>As CSV</Button>
            <Button href={`/api/reviews/${entry.id}/record?as=html`}>As a page to print</Button>
          </>
        )}
        {keeps && entry.state === "planned" && (
          <Button type="primary" loading={end.isPending} onClick={() => end.mutate()}>
            Open it now
          </Button>
        )}
        {keeps && entry.state === "open" && (
          <Button
            onClick={() =>
              modal.confirm({
                title: `Close “${entry.text.title}” for good?`,
                content:
                  left === 0
                    ? "Every line is answered. The record is sealed, and nothing of it changes any more."
                    : `${plural(left, "line")} ${left === 1 ? "is" : "are"} not answered and will be ${entry.text.unanswered === "take" ? "taken away" : "kept"}; restrictions stay. Then the record is sealed.`,
                okText: "Close it",
                okButtonProps: { danger: left > 0 && entry.text.unanswered === "take" },
                onOk: () => end.mutateAsync().catch(() => undefined),
              })
            }
          >
            Close it
          </Button>
        )}
        {keeps && entry.state !== "closed" && entry.answered === 0 && (
          <Button danger loading={remove.isPending} onClick={() => remove.mutate()}>
            Take it back
          </Button>
        )}
        <Button onClick={close}>All reviews</Button>
      </div>
      {entry.record_hash && (
        <p className="soft small">
          Sealed: <code className="breaks-anywhere">{entry.record_hash}</code>, in the trail too.
        </p>
      )}
      {detail.isError && <Notice kind="bad">{detail.error.message}</Notice>}
      {detail.data && entry.state !== "planned" && (
        <ReviewLines
          key={entry.state}
          lines={detail.data.lines}
          login={login}
          closed={entry.state === "closed"}
          send={(body, onlyTry) =>
            data(api.POST("/api/reviews/{key}/answers", { params: { path: { key: entry.id }, query: { try: onlyTry } }, body }))
          }
        />
      )}
    </section>
  );
}
