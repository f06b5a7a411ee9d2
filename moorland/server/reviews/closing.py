"""Reviews opened, reminded of and closed; closed, a review is a record that nothing changes any more (accounts.md 23)."""

import datetime
import hashlib
import logging
from html import escape
from typing import Any

from django.conf import settings
from django.core.mail import send_mail
from django.utils import timezone

from moorland.core.bundle.writing import canonical_json
from moorland.core.sources.exporting import csv_text
from moorland.core.today import today_in
from moorland.server.changes import recorded
from moorland.server.directory.models import Account
from moorland.server.duties.rights import rights_of
from moorland.server.errors import Failure, from_document
from moorland.server.releases.bundles import workspace
from moorland.server.reviews.answering import answer
from moorland.server.reviews.models import Review, ReviewLine
from moorland.server.reviews.opening import lines_of
from moorland.server.reviews.shapes import AnswerRequest, ReviewText

#: After the due day, and a reminder, so many days are left to answer.
GRACE = 3
_MONTHS = {"month": 1, "quarter": 3, "year": 12}
_log = logging.getLogger(__name__)


def today() -> datetime.date:
    """The day in the workspace's time zone."""
    return today_in(workspace().time_zone)


def text_of(review: Review) -> ReviewText:
    """What a review is."""
    return from_document(ReviewText, review.document)


def open_review(review: Review) -> None:
    """Opens a review: its lines are made by what people hold now. Raises Failure where there is nothing to ask."""
    text, opener = text_of(review), review.opener
    if opener is None or not opener.good_today() or not rights_of(opener).whole("checks"):
        raise Failure(403, "not_allowed", "Whoever keeps this review has no duty over checks any more. Somebody else has to open it.")
    lines = lines_of(text)
    if not lines:
        raise Failure(422, "nothing", "Nobody holds anything of that. Widen the scope.")
    with recorded(opener, "open review", text.title) as change:
        review.state, review.opened_at, review.trouble = "open", timezone.now(), ""
        review.due = today() + datetime.timedelta(days=text.days)
        review.moved()
        ReviewLine.objects.bulk_create(
            [
                ReviewLine(
                    review=review,
                    kind=line.kind,
                    login=line.login,
                    subject=line.subject,
                    model=line.model,
                    asked=line.asked,
                    document=line.facts.model_dump(mode="json"),
                )
                for line in lines
            ],
            batch_size=500,
        )
        change.details = {"lines": len(lines), "asked": sorted({line.asked for line in lines if line.asked}), "due": str(review.due)}


def close_review(review: Review, by: Account | str) -> None:
    """Closes a review: what nobody answered is kept, or taken away, as it says; restrictions stay. All of it is written down and sealed."""
    if review.state != "open":
        raise Failure(409, "closed", "This review is closed already.")
    text = text_of(review)
    if text.unanswered == "take":
        for line in review.lines.filter(answer="", kind="role"):
            if not line.document.get("restricts"):
                _taken(review, line)
    with recorded(by, "close review", text.title) as change:
        review.state, review.closed_at = "closed", timezone.now()
        review.record = record_of(review)
        review.record_hash = sealed(review.record)
        review.moved()
        if text.repeat is not None:
            Review.objects.create(document=review.document, opener=review.opener, opens_on=_next(review, text))
        change.details = {"record": review.record_hash, "lines": review.lines.count(), "unanswered": review.lines.filter(answer="").count()}


def sealed(record: dict[str, Any]) -> str:
    """The SHA-256 of a record's canonical JSON."""
    return hashlib.sha256(canonical_json(record).encode()).hexdigest()


def _taken(review: Review, line: ReviewLine) -> None:
    """Takes away what nobody answered; where that cannot be done it is a task."""
    try:
        answer(review, [line], AnswerRequest(lines=[line.pk], answer="take", note="not answered by the due day"), review.opener or Account(), only_try=False)
    except Failure as failure:
        line.task, line.note = f"Could not be taken away: {failure.message}"[:1000], "not answered by the due day"
        line.save()


def _next(review: Review, text: ReviewText) -> datetime.date:
    """The day on which a review comes again: as many months after it opened, on the same day of the month or its last."""
    begun = (review.opened_at or timezone.now()).date()
    month = begun.month - 1 + _MONTHS[text.repeat or "year"]
    year, month = begun.year + month // 12, month % 12 + 1
    for day in range(begun.day, 0, -1):
        try:
            return max(datetime.date(year, month, day), today())
        except ValueError:
            continue
    raise AssertionError("a month has a first day")


def record_of(review: Review) -> dict[str, Any]:
    """All of a review as it is: what is sealed."""
    return {
        "review": review.document,
        "opened_at": review.opened_at.isoformat() if review.opened_at else None,
        "opened_by": review.opener.login if review.opener else None,
        "due": str(review.due),
        "closed_at": review.closed_at.isoformat() if review.closed_at else None,
        "lines": [
            {
                "person": line.login,
                "kind": line.kind,
                "subject": line.subject,
                **line.document,
                "asked": line.asked,
                "answer": line.answer or "not answered",
                "until": str(line.until) if line.until else None,
                "note": line.note,
                "task": line.task,
                "answered_by": line.answered_by,
                "answered_at": line.answered_at.isoformat() if line.answered_at else None,
            }
            for line in review.lines.all()
        ],
    }


_COLUMNS = (
    "person", "name", "organization", "kind", "label", "held", "since", "opens", "sensitive", "peers", "last_used", "lost",
    "asked", "answer", "until", "note", "task", "answered_by", "answered_at",
)  # fmt: skip


def as_csv(review: Review) -> str:
    """The record as CSV, a line each."""
    record = review.record or record_of(review)
    return csv_text([list(_COLUMNS), *([_cell(line.get(name)) for name in _COLUMNS] for line in record["lines"])])


def as_html(review: Review) -> str:
    """The record as a page that is read, printed and kept; nothing in it is fetched from elsewhere."""
    record, text = review.record or record_of(review), text_of(review)
    head = "".join(f"<th>{escape(name.replace('_', ' '))}</th>" for name in _COLUMNS)
    rows = "".join(f"<tr>{''.join(f'<td>{escape(_cell(line.get(name)))}</td>' for name in _COLUMNS)}</tr>" for line in record["lines"])
    seal = (
        f"<p>SHA-256 of this record: <code>{escape(review.record_hash)}</code></p>"
        if review.record_hash
        else "<p>This review is open: it is no record yet.</p>"
    )
    style = "@page{size:A4 landscape;margin:12mm}body{font:11px sans-serif}table{border-collapse:collapse;width:100%}th,td{border:1px solid #999;padding:3px 5px;text-align:left;vertical-align:top}thead{display:table-header-group}tr{break-inside:avoid}"
    told = f"<p>Opened {escape(str(record['opened_at']))} by {escape(str(record['opened_by']))}, due {escape(record['due'])}, closed {escape(str(record['closed_at'] or 'not yet'))}.</p>"
    return (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{escape(text.title)}</title><style>{style}</style></head>'
        f"<body><h1>{escape(text.title)}</h1>{told}{seal}<table><thead><tr>{head}</tr></thead><tbody>{rows}</tbody></table></body></html>"
    )


def _cell(value: Any) -> str:
    if value is None:
        return ""
    return "; ".join(map(str, value)) if isinstance(value, list) else str(value)


def run_due_reviews() -> int:
    """Opens what is planned for today, reminds on the due day, and closes what nobody answered after that; how many reviews were moved."""
    day, moved = today(), 0
    for review in Review.objects.filter(state="planned", opens_on__lte=day, trouble="").select_related("opener"):
        moved += 1
        _guarded(review, lambda item=review: open_review(item))
    for review in Review.objects.filter(state="open", due__lte=day).select_related("opener"):
        if review.reminded_at is None:
            moved += 1
            _guarded(review, lambda item=review: remind(item))
        elif review.due is not None and review.due + datetime.timedelta(days=GRACE) < day:
            moved += 1
            _guarded(review, lambda item=review: close_review(item, "moorland"))
    return moved


def _guarded(review: Review, work: Any) -> None:
    try:
        work()
    except Failure as failure:
        Review.objects.filter(pk=review.pk).update(trouble=failure.message[:600])
    except Exception:
        _log.exception("review %s", review.pk)
        Review.objects.filter(pk=review.pk).update(trouble="The server met an error. Look at it by hand.")


def remind(review: Review) -> None:
    """Tells whoever has not answered, by mail where that is set up; what is left to answer stands on their own page either way."""
    text = text_of(review)
    asked = sorted(set(review.lines.filter(answer__in=["", "ask"]).exclude(asked="").values_list("asked", flat=True)))
    with recorded("moorland", "remind of review", text.title) as change:
        Review.objects.filter(pk=review.pk).update(reminded_at=timezone.now())
        change.details = {"asked": asked}
    if settings.MAIL_IS_SET_UP:
        for account in Account.objects.filter(login__in=asked, enabled=True).exclude(email=None):
            body = f"{account.name},\n\n“{text.title}” still waits for your answers. It closes on {(review.due or today()) + datetime.timedelta(days=GRACE + 1)}.\n"
            try:
                send_mail(f"A review waits: {text.title}", body, settings.DEFAULT_FROM_EMAIL, [str(account.email)])
            except OSError:
                _log.exception("a reminder could not be mailed")
