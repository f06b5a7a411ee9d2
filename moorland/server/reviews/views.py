"""Reviews over the API: opened by who keeps checks over everything, answered by whom they ask."""

import datetime

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.people import Viewer
from moorland.server.changes import expect_version, recorded
from moorland.server.directory.models import Account
from moorland.server.directory.service import told_to
from moorland.server.duties.permission import SIGNED_IN, over_everything, request_rights, within
from moorland.server.duties.rights import rights_of
from moorland.server.errors import Failure, from_document, missing, read_body
from moorland.server.errors import answer as answered
from moorland.server.evaluating import evaluator
from moorland.server.requests import TRY, VERSION, account_of, only_tried, version_of
from moorland.server.reviews.answering import answer, keeps, may_answer
from moorland.server.reviews.closing import as_csv, as_html, close_review, open_review, sealed, text_of, today
from moorland.server.reviews.models import Review, ReviewLine
from moorland.server.reviews.movers import movers
from moorland.server.reviews.opening import lines_of
from moorland.server.reviews.shapes import (
    AnswerAnswer,
    AnswerRequest,
    LineFacts,
    MoversAnswer,
    OwnReviews,
    ReviewDetail,
    ReviewEntry,
    ReviewLineEntry,
    ReviewList,
    ReviewText,
    ReviewTried,
)
from moorland.server.trail.models import record
from moorland.server.viewing.looks import record_look


class Reviews(APIView):
    """Who keeps checks: the reviews; open one (over everything), or with `try=true` be told whom it would ask what."""

    needs = {"GET": within("checks"), "POST": over_everything("checks")}

    @extend_schema(responses=ReviewList)
    def get(self, request: Request) -> Response:
        rights = request_rights(request)
        return answered(ReviewList(reviews=[entry(item) for item in Review.objects.select_related("opener")], may_open=rights.whole("checks")))

    @extend_schema(request=ReviewText, responses={201: ReviewEntry, 200: ReviewTried}, parameters=[TRY])
    def post(self, request: Request) -> Response:
        text, account = read_body(request, ReviewText), account_of(request)
        if text.named is not None and not Account.objects.filter(login=text.named, enabled=True, kind="person").exists():
            raise missing("user", text.named)
        if only_tried(request):
            lines = lines_of(text)
            asked: dict[str, int] = {}
            for line in lines:
                asked[line.asked] = asked.get(line.asked, 0) + 1
            return answered(ReviewTried(lines=len(lines), people=len({line.login for line in lines}), asked=asked))
        review = Review(document=text.model_dump(mode="json"), opener=account, opens_on=today(), version=0)
        review.save()
        try:
            open_review(review)
        except Failure:
            review.delete()
            raise
        record_look(account, ["everyone"], f"review {text.title}", "live")
        return answered(entry(review), 201)


class OneReview(APIView):
    """Who keeps checks: a review with its lines; take one away that nobody answered yet, or that is planned."""

    needs = {"GET": within("checks"), "DELETE": over_everything("checks")}

    @extend_schema(responses=ReviewDetail)
    def get(self, request: Request, key: int) -> Response:
        review, account = stored(key), account_of(request)
        lines = [line for line in review.lines.all() if keeps(account, line)]
        record_look(account, sorted({line.login for line in lines})[:200], f"review {review.document['title']}", "live")
        return answered(ReviewDetail(review=entry(review), lines=told(lines)))

    @extend_schema(parameters=[VERSION], responses={204: None})
    def delete(self, request: Request, key: int) -> Response:
        review = stored(key)
        expect_version(review, version_of(request), "this review")
        if review.state == "closed" or review.lines.exclude(answer="").exists():
            raise Failure(409, "answered", "Somebody answered in it already. Close it: what is left is kept, or taken away, as it says.")
        with recorded(account_of(request), "delete review", str(review.document["title"])[:200]):
            review.delete()
        return Response(status=204)


class ReviewAnswers(APIView):
    """Who keeps checks: answer lines; with `try=true` be told who loses what."""

    needs = {"POST": within("checks")}

    @extend_schema(request=AnswerRequest, responses=AnswerAnswer, parameters=[TRY])
    def post(self, request: Request, key: int) -> Response:
        return answered(_given(stored(key), request))


class ReviewClosing(APIView):
    """Who keeps checks over everything: close a review for good, or open one that is planned, now."""

    needs = {"POST": over_everything("checks")}

    @extend_schema(request=None, responses=ReviewEntry)
    def post(self, request: Request, key: int) -> Response:
        review = stored(key)
        if review.state == "planned":
            review.opener = account_of(request)
            open_review(review)
        else:
            close_review(review, account_of(request))
        return answered(entry(stored(key)))


class ReviewRecord(APIView):
    """Who keeps checks over everything: a review as CSV, or as a page to print."""

    needs = {"GET": over_everything("checks")}

    @extend_schema(responses={(200, "text/csv"): OpenApiTypes.STR}, parameters=[OpenApiParameter("as", str, enum=["csv", "html"])])
    def get(self, request: Request, key: int) -> HttpResponse:
        review = stored(key)
        record(account_of(request).login, "export", f"review {review.document['title']}"[:400])
        as_page = request.query_params.get("as") == "html"
        response = HttpResponse(as_html(review) if as_page else as_csv(review), content_type=f"text/{'html' if as_page else 'csv'}; charset=utf-8")
        response["Content-Disposition"] = f'attachment; filename="review-{review.pk}.{"html" if as_page else "csv"}"'
        return response


class OwnReviewLines(APIView):
    """Anybody signed in: the lines they are asked about, and their answers."""

    needs = {"GET": SIGNED_IN, "POST": SIGNED_IN}

    @extend_schema(responses=OwnReviews)
    def get(self, request: Request) -> Response:
        account = account_of(request)
        lines = ReviewLine.objects.filter(review__state="open", asked=account.login).select_related("review__opener")
        by_review: dict[int, list[ReviewLine]] = {}
        for line in lines:
            by_review.setdefault(line.review_id, []).append(line)
        return answered(OwnReviews(reviews=[ReviewDetail(review=entry(items[0].review), lines=told(items)) for items in by_review.values()]))

    @extend_schema(request=AnswerRequest, responses=AnswerAnswer, parameters=[TRY])
    def post(self, request: Request) -> Response:
        asked = read_body(request, AnswerRequest)
        line = ReviewLine.objects.filter(pk=asked.lines[0], asked=account_of(request).login).select_related("review").first()
        if line is None:
            raise missing("line", str(asked.lines[0]))
        return answered(_given(line.review, request))


class Movers(APIView):
    """Who keeps checks over everything, or all people: who is elsewhere than on a day, and what only the old place gave."""

    needs = {"GET": over_everything("checks", "people")}

    @extend_schema(responses=MoversAnswer, parameters=[OpenApiParameter("since", OpenApiTypes.DATE, required=True)])
    def get(self, request: Request) -> Response:
        try:
            since = datetime.date.fromisoformat(request.query_params.get("since", ""))
        except ValueError:
            raise Failure(422, "invalid", "Say since which day.") from None
        rights = request_rights(request)
        everybody = rights.whole("look-shapes") or rights.whole("people")

        def known(viewer: Viewer) -> bool:
            return everybody or rights.reaches("people", person=viewer)

        found = movers(since, known)
        record_look(account_of(request), [item.login for item in found.movers][:200], "movers", "live")
        return answered(found)


def stored(key: int) -> Review:
    """A review by its number. Raises Failure (404)."""
    found = Review.objects.filter(pk=key).select_related("opener").first()
    if found is None:
        raise missing("review", str(key))
    return found


def _given(review: Review, request: Request) -> AnswerAnswer:
    asked, account = read_body(request, AnswerRequest), account_of(request)
    lines = list(review.lines.filter(pk__in=asked.lines))
    outside = len(lines) != len(set(asked.lines)) or not all(line.asked == account.login or keeps(account, line) for line in lines)
    if outside:
        raise missing("line", str(asked.lines[0]))
    if not all(may_answer(account, line) for line in lines):
        raise Failure(403, "own", "Nobody answers for themselves. Somebody else has to.")
    found, tasks = answer(review, lines, asked, account, only_tried(request))
    if found is None:
        return AnswerAnswer(viewers=[], tasks=tasks)
    base = evaluator("live")
    concerned = [base.viewer(item.login) for item in found.viewers if item.login in base.people.users]
    rights = rights_of(account)
    viewers = found.viewers if rights.whole("look-values") else told_to(rights, found.viewers, concerned)
    return AnswerAnswer(viewers=list(viewers), tasks=tasks)


def entry(review: Review) -> ReviewEntry:
    """A review as it is told."""
    lines = review.lines.values_list("answer", "task")
    return ReviewEntry(
        id=review.pk,
        text=text_of(review),
        state=review.state,  # type: ignore[arg-type]
        version=review.version,
        opener=review.opener.name if review.opener else None,
        opens_on=review.opens_on,
        opened_at=review.opened_at,
        due=review.due,
        closed_at=review.closed_at,
        lines=len(lines),
        answered=sum(given not in ("", "ask") for given, _ in lines),
        tasks=sum(bool(task) for _, task in lines),
        record_hash=review.record_hash,
        sound=not review.record_hash or sealed(review.record) == review.record_hash,
        trouble=review.trouble,
    )


def told(lines: list[ReviewLine]) -> list[ReviewLineEntry]:
    """Lines as they are told."""
    names = dict(Account.objects.filter(login__in={line.asked for line in lines}).values_list("login", "name"))
    return [
        ReviewLineEntry(
            id=line.pk,
            kind="duty" if line.kind == "duty" else "role",
            login=line.login,
            subject=line.subject,
            model=line.model,
            facts=from_document(LineFacts, line.document),
            asked=line.asked,
            asked_name=names.get(line.asked, "who keeps checks"),
            answer=line.answer or None,  # type: ignore[arg-type]
            until=line.until,
            note=line.note,
            task=line.task,
            answered_by=line.answered_by,
            answered_at=line.answered_at,
        )
        for line in lines
    ]
