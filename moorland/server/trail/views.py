"""Reading the trail."""

import re
from itertools import islice
from typing import Any

from django.db.models import QuerySet
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.shape import Shape
from moorland.server.duties.permission import request_rights, within
from moorland.server.duties.rights import Rights
from moorland.server.errors import answer
from moorland.server.evaluating import evaluator
from moorland.server.trail.models import Entry

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


class Trail(APIView):
    """By duty: who did and looked at what, newest first."""

    needs = {"GET": within("trail")}

    @extend_schema(responses=TrailAnswer, parameters=[OpenApiParameter("before", int, description="Entries older than this one.")])
    def get(self, request: Request) -> Response:
        entries = Entry.objects.all()
        before = request.query_params.get("before", "")
        if re.fullmatch("[0-9]{1,15}", before):
            entries = entries.filter(number__lt=int(before))
        rights = request_rights(request)
        found = _told(rights, entries)
        whole = rights.whole("look-values")
        shown = [
            TrailEntry(
                id=entry.number,
                at=entry.at.isoformat(timespec="seconds"),
                actor=entry.actor,
                action=entry.action,
                subject=entry.subject,
                details=entry.details if whole else without_values(entry.details),
            )
            for entry in found[:PAGE]
        ]
        return answer(TrailAnswer(entries=shown, more=len(found) > PAGE))


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
