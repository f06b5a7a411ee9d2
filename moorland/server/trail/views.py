"""Reading the trail."""

import datetime
import json
import re
import zoneinfo
from collections.abc import Iterator
from itertools import islice
from typing import Any

from django.db.models import Q, QuerySet
from django.http import StreamingHttpResponse
from django.http.response import HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.shape import Shape
from moorland.server.duties.permission import over_everything, request_rights, within
from moorland.server.duties.rights import Rights
from moorland.server.errors import Failure, answer
from moorland.server.evaluating import evaluator
from moorland.server.releases.bundles import workspace
from moorland.server.requests import account_of
from moorland.server.trail.models import Entry, record, removed_up_to
from moorland.server.trail.verifying import standing
from moorland.server.viewing.exporting import file_response

PAGE = 200
#: Acts on nobody but the actor.
OWN = frozenset({"sign-in", "sign-out", "change password", "first password"})
#: What an entry says beside that is no value of the data.
PLAIN = frozenset({"state", "viewers", "logins", "format", "hash", "address", "alone", "token", "as"})


class TrailEntry(Shape):
    """One act or look."""

    id: int
    at: str
    actor: str
    action: str
    subject: str
    details: dict[str, Any]


class TrailAnswer(Shape):
    """Entries, newest first."""

    entries: list[TrailEntry]
    more: bool


class TrailHead(Shape):
    """The newest entry and its seal, to be kept elsewhere; what was removed after its time; and whether the trail is whole.

    `kept_days` is for how long it is kept; none: for good.
    """

    number: int
    seal: str
    at: str | None
    removed_up_to: int
    kept_days: int | None
    broken: str | None


_FILTERS = [
    OpenApiParameter("before", int, description="Entries older than this one."),
    OpenApiParameter("who", str, description="Of this actor."),
    OpenApiParameter("action", str, description="Acts of this kind."),
    OpenApiParameter("about", str, description="About this login, role, page or other subject."),
    OpenApiParameter("since", str, description="From this day on."),
    OpenApiParameter("until", str, description="Up to this day."),
]


class Trail(APIView):
    """By duty: who did and looked at what, newest first; of an actor, of a kind, about somebody or something, between two days."""

    needs = {"GET": within("trail")}

    @extend_schema(responses=TrailAnswer, parameters=_FILTERS)
    def get(self, request: Request) -> Response:
        entries = _filtered(request)
        before = request.query_params.get("before", "")
        if re.fullmatch("[0-9]{1,15}", before):
            entries = entries.filter(number__lt=int(before))
        rights = request_rights(request)
        found = _told(rights, entries)
        whole = rights.whole("look-values")
        return answer(TrailAnswer(entries=[_entry(entry, whole) for entry in found[:PAGE]], more=len(found) > PAGE))


class Head(APIView):
    """Who may read the whole trail: its newest seal, to be kept elsewhere."""

    needs = {"GET": over_everything("trail")}

    @extend_schema(responses=TrailHead)
    def get(self, request: Request) -> Response:
        newest, broken = Entry.objects.first(), standing()
        return answer(
            TrailHead(
                number=newest.number if newest else 0,
                seal=newest.seal if newest else "",
                at=newest.at.isoformat(timespec="seconds") if newest else None,
                removed_up_to=removed_up_to()[0],
                kept_days=workspace().trail_days,
                broken=broken.message if broken else None,
            )
        )


class TrailExport(APIView):
    """Who may read the whole trail: entries as a file, CSV or JSON lines; the lines carry the seals, so that they can be verified."""

    needs = {"GET": over_everything("trail")}

    @extend_schema(
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
        parameters=[*_FILTERS[1:], OpenApiParameter("as", str, enum=["csv", "jsonl"], required=True)],
    )
    def get(self, request: Request) -> HttpResponseBase:
        whole, entries = request_rights(request).whole("look-values"), _filtered(request)
        kind = request.query_params.get("as", "csv")
        if kind not in ("csv", "jsonl"):
            raise Failure(422, "invalid", f"{kind} is no kind of file. Ask for csv or jsonl.")
        if kind == "jsonl" and not whole:
            raise Failure(403, "outside", "Lines that can be verified tell values: who takes them may look at everybody with values. Take the CSV.")
        record(account_of(request).login, "export trail", kind, entries=entries.count())
        entries = _filtered(request).order_by("number")
        if kind == "csv":
            lines: list[list[Any]] = [["number", "at", "who", "did", "what", "more"]]
            lines += [
                [entry.number, entry.at.isoformat(), entry.actor, entry.action, entry.subject, json.dumps(_details(entry, whole), ensure_ascii=False)]
                for entry in entries.iterator(2_000)
            ]
            return file_response("trail", "csv", lines)
        response = StreamingHttpResponse(_lines(entries), content_type="application/x-ndjson")
        response["Content-Disposition"] = 'attachment; filename="trail.jsonl"'
        return response


def _lines(entries: QuerySet[Entry]) -> Iterator[str]:
    """Entries as JSON lines, each with the seal of the one before it."""
    number, seal = 0, ""
    for entry in entries.iterator(2_000):
        if entry.number != number + 1:
            before = Entry.objects.filter(number=entry.number - 1).values_list("seal", flat=True).first()
            seal = before if before is not None else removed_up_to()[1]
        yield json.dumps({"number": entry.number, "before": seal, **entry.content(), "seal": entry.seal}, ensure_ascii=False) + "\n"
        number, seal = entry.number, entry.seal


def _filtered(request: Request) -> QuerySet[Entry]:
    """The entries that the filters of a request mean. Raises Failure (422) for a day that is none."""
    entries, asked = Entry.objects.all(), request.query_params
    if asked.get("who"):
        entries = entries.filter(actor=asked["who"])
    if asked.get("action"):
        entries = entries.filter(action=asked["action"])
    if asked.get("about"):
        name = asked["about"]
        quoted = json.dumps(name)
        entries = entries.filter(Q(subject=name) | Q(details__icontains=quoted))
    zone = zoneinfo.ZoneInfo(workspace().time_zone)
    for key, shift in (("since", 0), ("until", 1)):
        if not asked.get(key):
            continue
        try:
            day = datetime.date.fromisoformat(asked[key]) + datetime.timedelta(days=shift)
        except (ValueError, OverflowError):
            raise Failure(422, "invalid", f"{asked[key]} is not a day; write it as YYYY-MM-DD.") from None
        at = datetime.datetime.combine(day, datetime.time(), zone)
        entries = entries.filter(at__lt=at) if shift else entries.filter(at__gte=at)
    return entries


def _entry(entry: Entry, whole: bool) -> TrailEntry:
    return TrailEntry(
        id=entry.number,
        at=entry.at.isoformat(timespec="seconds"),
        actor=entry.actor,
        action=entry.action,
        subject=entry.subject,
        details=_details(entry, whole),
    )


def _details(entry: Entry, whole: bool) -> dict[str, Any]:
    return dict(entry.details) if whole else without_values(entry.details)


def _told(rights: Rights, entries: QuerySet[Entry]) -> list[Entry]:
    """The next entries in the scope of a duty over the trail, one more than a page: those whose actor and everybody they are about are in it."""
    if rights.whole("trail"):
        return list(entries[: PAGE + 1])
    people = evaluator("live").everyone()
    known = {viewer.login or "" for viewer in people if rights.reaches("trail", person=viewer)}
    mine = (entry for entry in entries.filter(actor__in=known).iterator(2_000) if _about(entry) <= known)
    return list(islice(mine, PAGE + 1))


def _about(entry: Entry) -> set[str]:
    """Whom an entry is about, as far as it says; what is about somebody unsaid is about a name nobody has."""
    details = entry.details
    named = {str(name) for key in ("viewers", "logins") for name in details.get(key, [])}
    return named if entry.action in OWN or named else named | {entry.subject}


def without_values(details: dict[str, Any]) -> dict[str, Any]:
    """What stands in an entry, without what may be a value of the data or a literal of a sentence: those read …."""
    return {key: value if key in PLAIN or isinstance(value, int) else "…" for key, value in details.items()}
