"""What an administrator asks from anywhere: why, who, and how a figure comes about (semantics.md 11)."""

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.people import ViewerReference
from moorland.core.insight.bridge import Bridge, bridge
from moorland.core.insight.remedies import remedies
from moorland.core.insight.trace import trace, where_they_part
from moorland.core.insight.verdict import verdict
from moorland.core.insight.who import WhoQuestion, who, who_changed
from moorland.server.errors import Failure, answer, read_body
from moorland.server.evaluating import evaluator
from moorland.server.requests import account_of
from moorland.server.viewing.insight_shapes import BridgeRequest, WhoRequest, WhoTold, WhyAnswer, WhyRequest
from moorland.server.viewing.looks import record_look
from moorland.server.viewing.service import asked_evaluator, resolve, viewer_title
from moorland.server.viewing.shapes import AllData, PinnedViewer


def _reference(pinned: PinnedViewer) -> ViewerReference:
    if isinstance(pinned, AllData):
        raise Failure(422, "invalid", "All the data is nobody: there is nothing to explain.")
    return pinned


class Why(APIView):
    """Administrators: why a viewer can or cannot, layer by layer, and what would have to change."""

    @extend_schema(request=WhyRequest, responses=WhyAnswer)
    def post(self, request: Request) -> Response:
        asked = read_body(request, WhyRequest)
        base = asked_evaluator(asked)
        viewer = _reference(asked.viewer)
        about = asked.about
        subject = f"why: {about.page or about.object or about.table}"
        record_look(account_of(request), [viewer_title(pinned) for pinned in (asked.viewer, asked.other) if pinned is not None], subject, asked.state)
        found = trace(base, viewer, about)
        other = trace(base, _reference(asked.other), about) if asked.other is not None else None
        parted = where_they_part(found, other) if other is not None else None
        helping = remedies(base, viewer, about) if found.outcome != "can" else []
        return answer(
            WhyAnswer(
                verdict=verdict(base, found),
                other_verdict=verdict(base, other) if other is not None else None,
                trace=found,
                remedies=helping,
                other=other,
                parts_at=parted[0].layer if parted else None,
            )
        )


class Who(APIView):
    """Administrators: everybody who reaches something, by which role and sentence; against live or another day, who is new and who is gone."""

    @extend_schema(request=WhoRequest, responses=WhoTold)
    def post(self, request: Request) -> Response:
        asked = read_body(request, WhoRequest)
        if asked.against_live and asked.against_day is not None:
            raise Failure(422, "invalid", "Compare with the live release or with another day, not with both at once.")
        base = asked_evaluator(asked)
        record_look(account_of(request), ["everyone"], f"who reaches {_named(asked.about)}", asked.state)
        found = who(base, asked.about)
        against = None
        if asked.against_live or asked.against_day is not None:
            other = evaluator("live" if asked.against_live else asked.state, asked.as_of if asked.against_live else asked.against_day, as_lived=True)
            against = who_changed(who(other, asked.about), found)
        return answer(WhoTold(answer=found, against=against))


def _named(about: WhoQuestion) -> str:
    named = about.page or about.measure or about.hierarchy or about.table or ""
    return f"{named}.{about.column}" if about.column is not None else named


class BridgeOf(APIView):
    """Administrators: how a viewer's figure comes about from that of all data, or of another viewer."""

    @extend_schema(request=BridgeRequest, responses=Bridge)
    def post(self, request: Request) -> Response:
        asked = read_body(request, BridgeRequest)
        base = asked_evaluator(asked)
        viewers = [asked.viewer, *([asked.start] if asked.start is not None else [])]
        record_look(account_of(request), [viewer_title(pinned) for pinned in viewers], f"the bridge of {asked.about.measure}", asked.state)
        start = asked.start if asked.start is not None and not isinstance(asked.start, AllData) else None
        return answer(bridge(base, resolve(base, asked.viewer), asked.about, resolve(base, start) if start is not None else None))
