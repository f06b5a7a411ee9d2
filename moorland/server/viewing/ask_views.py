"""What an administrator asks from anywhere: why, who, and how a figure comes about (semantics.md 11)."""

from collections.abc import Callable

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.people import ViewerReference
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.bridge import Bridge, bridge
from moorland.core.insight.remedies import remedies
from moorland.core.insight.trace import Trace, trace, where_they_part
from moorland.core.insight.verdict import verdict
from moorland.core.insight.who import WhoAnswer, WhoQuestion, who, who_changed
from moorland.core.people import Viewer
from moorland.server.duties.permission import within
from moorland.server.errors import Failure, answer, read_body
from moorland.server.evaluating import evaluator
from moorland.server.requests import account_of
from moorland.server.viewing.insight_shapes import BridgeRequest, WhoRequest, WhoTold, WhyAnswer, WhyRequest
from moorland.server.viewing.looking import Level, may_look, may_look_at_all, needs_values
from moorland.server.viewing.looks import record_look
from moorland.server.viewing.service import asked_evaluator, resolve, viewer_title
from moorland.server.viewing.shapes import AllData, PinnedViewer
from moorland.server.viewing.shapes_only import refuse_traced, refuse_who, shapes_of_trace, shapes_of_verdict


def _reference(pinned: PinnedViewer) -> ViewerReference:
    if isinstance(pinned, AllData):
        raise Failure(422, "invalid", "All the data is nobody: there is nothing to explain.")
    return pinned


class Why(APIView):
    """By duty: why a viewer can or cannot, layer by layer, and what would have to change."""

    needs = {"POST": within("look-shapes")}

    @extend_schema(request=WhyRequest, responses=WhyAnswer)
    def post(self, request: Request) -> Response:
        asked = read_body(request, WhyRequest)
        pinned = [item for item in (asked.viewer, asked.other) if item is not None]
        level = may_look(request, asked, pinned, [asked.about.model] if asked.about.model is not None else [])
        if level == "shapes":
            refuse_traced(asked.about)
        base = asked_evaluator(asked)
        viewer = _reference(asked.viewer)
        about = asked.about
        subject = f"why: {about.page or about.object or about.table}"
        record_look(account_of(request), [viewer_title(pinned) for pinned in (asked.viewer, asked.other) if pinned is not None], subject, asked.state)
        found = trace(base, viewer, about)
        other = trace(base, _reference(asked.other), about) if asked.other is not None else None
        parted = where_they_part(found, other) if other is not None else None
        if level == "shapes":
            return answer(_why_in_shapes(base, found, other, parted[0].layer if parted else None))
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


def _why_in_shapes(base: Evaluator, found: Trace, other: Trace | None, parts_at: str | None) -> WhyAnswer:
    """Verdicts, layers, roles and sentences; nothing of what they say or compare."""
    return WhyAnswer(
        verdict=shapes_of_verdict(verdict(base, found), found),
        other_verdict=shapes_of_verdict(verdict(base, other), other) if other is not None else None,
        trace=shapes_of_trace(found),
        remedies=[],
        other=shapes_of_trace(other) if other is not None else None,
        parts_at=parts_at,
    )


class Who(APIView):
    """By duty: everybody who reaches something, by which role and sentence; against live or another day, who is new and who is gone."""

    needs = {"POST": within("look-shapes")}

    @extend_schema(request=WhoRequest, responses=WhoTold)
    def post(self, request: Request) -> Response:
        asked = read_body(request, WhoRequest)
        if asked.against_live and asked.against_day is not None:
            raise Failure(422, "invalid", "Compare with the live release or with another day, not with both at once.")
        level, seen = may_look_at_all(request, asked, asked.about.model)
        if level == "shapes":
            refuse_who(asked.about)
        base = asked_evaluator(asked)
        record_look(account_of(request), ["everyone"], f"who reaches {_named(asked.about)}", asked.state)
        found = who(base, asked.about)
        against = None
        if asked.against_live or asked.against_day is not None:
            other = evaluator("live" if asked.against_live else asked.state, asked.as_of if asked.against_live else asked.against_day, as_lived=True)
            against = who_changed(_among(who(other, asked.about), other, seen), _among(found, base, seen))
        return answer(WhoTold(answer=_among(found, base, seen, level), against=against))


def _among(found: WhoAnswer, base: Evaluator, seen: Callable[[Viewer], bool], level: Level = "values") -> WhoAnswer:
    """Those of the people found whom the account may look at; how a role is held is told with values only."""
    known = {viewer.login for viewer in base.everyone() if viewer.enabled and seen(viewer)}
    people = [person for person in found.people if person.login in known]
    if level == "shapes":
        people = [person.model_copy(update={"through": [part.model_copy(update={"held_by": []}) for part in person.through]}) for person in people]
    return found.model_copy(update={"people": people, "enabled": len(known)})


def _named(about: WhoQuestion) -> str:
    named = about.page or about.measure or about.hierarchy or about.table or ""
    return f"{named}.{about.column}" if about.column is not None else named


class BridgeOf(APIView):
    """By duty: how a viewer's figure comes about from that of all data, or of another viewer."""

    needs = {"POST": within("look-values")}

    @extend_schema(request=BridgeRequest, responses=Bridge)
    def post(self, request: Request) -> Response:
        asked = read_body(request, BridgeRequest)
        pinned = [asked.viewer, asked.start if asked.start is not None else AllData(all_data=True)]
        if may_look(request, asked, pinned, [asked.about.model]) != "values":
            raise needs_values()
        base = asked_evaluator(asked)
        viewers = [asked.viewer, *([asked.start] if asked.start is not None else [])]
        record_look(account_of(request), [viewer_title(pinned) for pinned in viewers], f"the bridge of {asked.about.measure}", asked.state)
        start = asked.start if asked.start is not None and not isinstance(asked.start, AllData) else None
        return answer(bridge(base, resolve(base, asked.viewer), asked.about, resolve(base, start) if start is not None else None))
