import { useQuery } from "@tanstack/react-query";
import { api, data } from "../../api/client";
import { queries } from "../../api/queries";
import { ReviewLines } from "../../ui/reviews/ReviewLines";

/** What reviews ask of oneself: whether people still need what one keeps. */
export function OwnReviews({ login }: { login: string }) {
  const own = useQuery(queries.ownReviews());
  const reviews = own.data?.reviews ?? [];
  if (reviews.length === 0) return null;
  return (
    <section aria-label="Reviews that ask you" className="me-wide">
      {reviews.map(({ review, lines }) => (
        <div key={review.id}>
          <h3>{review.text.title}</h3>
          <p className="soft">
            {review.opener ?? "This workspace"} asks you until {review.due}: do these people still need what they hold? What you do not
            answer is then {review.text.unanswered === "take" ? "taken away" : "kept"}.
          </p>
          <ReviewLines
            lines={lines}
            login={login}
            closed={false}
            send={(body, onlyTry) => data(api.POST("/api/my/reviews", { params: { query: { try: onlyTry } }, body }))}
          />
        </div>
      ))}
    </section>
  );
}
