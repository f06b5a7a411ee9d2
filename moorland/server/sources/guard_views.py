"""Guards in databases: whether the one that is there is that of the live release (channels.md)."""

import threading
from typing import Literal

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.shape import Shape
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Refused
from moorland.core.engine.unanswered import SourceFailed
from moorland.core.sources.guards.guard_applying import connected, state_of
from moorland.core.sources.guards.guard_plan import GuardPlan, guard_plan, guarded_sources
from moorland.server.duties.permission import request_rights, within
from moorland.server.errors import answer
from moorland.server.evaluating import evaluator
from moorland.server.sources.engines import engine_for


class GuardEntry(Shape):
    """The guard of a model in a source: as the live release has it, out of date, or not known because the source does not answer."""

    model: str
    source: str
    state: Literal["current", "out of date", "not known"]
    made_on: str | None
    left_out: list[str]


class GuardList(Shape):
    """Every guard that is in a database."""

    guards: list[GuardEntry]


class Guards(APIView):
    """By duty: the guards of the models an account releases, and whether they are out of date."""

    needs = {"GET": within("release")}

    @extend_schema(responses=GuardList)
    def get(self, request: Request) -> Response:
        base, rights = evaluator("live"), request_rights(request)
        found = [_entry(base, name) for name in base.models if guarded_sources(base, name) and rights.reaches("release", model=name)]
        return answer(GuardList(guards=[entry for entry in found if entry is not None]))


def _entry(base: Evaluator, model: str) -> GuardEntry | None:
    """The guard of a model; None where there is none, or none can be made."""
    try:
        plan = _plan(base, model)
    except (Refused, SourceFailed):
        return None
    try:
        with connected(engine_for(plan.source)) as connection:
            state, day = state_of(connection, plan)
    except SourceFailed:
        return GuardEntry(model=model, source=plan.source, state="not known", made_on=None, left_out=[])
    return None if state == "none" else GuardEntry(model=model, source=plan.source, state=state, made_on=day, left_out=plan.left_out)


_plans: dict[str, tuple[object, GuardPlan]] = {}
_lock = threading.Lock()


def _plan(base: Evaluator, model: str) -> GuardPlan:
    """The plan of a model, worked out once for an evaluator."""
    with _lock:
        kept = _plans.get(model)
    if kept is not None and kept[0] is base.stamp:
        return kept[1]
    plan = guard_plan(base, model)
    with _lock:
        _plans[model] = (base.stamp, plan)
    return plan
