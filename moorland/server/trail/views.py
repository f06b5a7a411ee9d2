"""Reading the trail."""

import re
from typing import Any

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.shape import Shape
from moorland.server.errors import answer
from moorland.server.trail.models import Entry

PAGE = 200


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
    """Administrators: who did and looked at what, newest first."""

    @extend_schema(responses=TrailAnswer, parameters=[OpenApiParameter("before", int, description="Entries older than this one.")])
    def get(self, request: Request) -> Response:
        entries = Entry.objects.all()
        before = request.query_params.get("before", "")
        if re.fullmatch("[0-9]{1,15}", before):
            entries = entries.filter(number__lt=int(before))
        found = list(entries[: PAGE + 1])
        shown = [
            TrailEntry(
                id=entry.number, at=entry.at.isoformat(timespec="seconds"), actor=entry.actor, action=entry.action, subject=entry.subject, details=entry.details
            )
            for entry in found[:PAGE]
        ]
        return answer(TrailAnswer(entries=shown, more=len(found) > PAGE))
