"""Reach: everybody at once, for administrators (semantics.md 11.5)."""

from functools import lru_cache
from typing import Any

from drf_spectacular.utils import extend_schema
from pydantic import Field
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.problems import BundleError
from moorland.core.bundle.shape import Day, Name, Shape
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Question, TotalsAnswer, TotalsQuestion
from moorland.core.insight.reach import Reach, ReachClass, reach
from moorland.core.insight.standing_out import Crossing, StandsOut, crossings, standing_out
from moorland.server.errors import Failure, answer, missing, read_body
from moorland.server.evaluating import evaluator, evaluator_of
from moorland.server.releases.bundles import release_bundle
from moorland.server.requests import account_of
from moorland.server.viewing.looks import record_look
from moorland.server.viewing.service import asked_evaluator
from moorland.server.viewing.shapes import Asked


class ReachRequest(Asked):
    """Everybody, over one model or all; with values of measures, and compared with live, an earlier release or another day."""

    model: Name | None = None
    measures: list[Name] = Field(default_factory=list, max_length=6)
    against_live: bool = False
    against_release: int | None = Field(default=None, ge=1)
    against_day: Day | None = None


class ReachLine(ReachClass):
    """A class, the values of the measures asked for, and what was otherwise for some of its people."""

    values: list[Any] = Field(default_factory=list)
    otherwise: list[Crossing] = Field(default_factory=list)


class ReachAnswer(Shape):
    """Everybody at once. `sensitive` names columns that some role covers, or that are tagged so."""

    classes: list[ReachLine]
    sensitive: list[str]
    standing_out: list[StandsOut]


@lru_cache(maxsize=6)
def reach_of(base: Evaluator, model: str | None) -> Reach:
    """The classes; an evaluator never changes, so neither do they."""
    return reach(base, model)


@lru_cache(maxsize=6)
def outliers_of(base: Evaluator, model: str | None) -> list[StandsOut]:
    """Who stands out; kept as `reach_of` is."""
    return standing_out(base, reach_of(base, model))


class Reaching(APIView):
    """Administrators: classes of people who see exactly the same, and who stands out."""

    @extend_schema(request=ReachRequest, responses=ReachAnswer)
    def post(self, request: Request) -> Response:
        asked = read_body(request, ReachRequest)
        base = asked_evaluator(asked)
        if asked.model is not None and asked.model not in base.models:
            raise missing("model", asked.model)
        record_look(account_of(request), ["everyone"], "reach", asked.state)
        found, before = reach_of(base, asked.model), _against(asked)
        values = _values(base, asked, found.classes)
        lines = [
            ReachLine(**dict(item), values=told, otherwise=crossings(before, item) if before is not None else [])
            for item, told in zip(found.classes, values, strict=True)
        ]
        return answer(ReachAnswer(classes=lines, sensitive=found.sensitive, standing_out=outliers_of(base, asked.model)))


def _against(asked: ReachRequest) -> Reach | None:
    """What it is compared with. Raises Failure where that is not one thing, or cannot be evaluated."""
    chosen = [asked.against_live, asked.against_release is not None, asked.against_day is not None]
    if sum(chosen) > 1:
        raise Failure(422, "invalid", "Compare with one thing: live, a release, or another day.")
    if asked.against_live:
        other = evaluator("live", asked.as_of)
    elif asked.against_day is not None:
        other = evaluator(asked.state, asked.against_day)
    elif asked.against_release is not None:
        try:
            other = evaluator_of(release_bundle(asked.against_release))
        except BundleError as error:
            raise Failure(409, "unusable", f"Release {asked.against_release} cannot be evaluated any more: {error.problems[0].sentence()}") from None
    else:
        return None
    return reach_of(other, asked.model if asked.model in other.models else None)


def _values(base: Evaluator, asked: ReachRequest, classes: list[ReachClass]) -> list[list[Any]]:
    """The values of the measures for each class: those of its first person."""
    if not asked.measures or asked.model is None:
        return [[] for _ in classes]
    question = Question(totals=TotalsQuestion(model=asked.model, measures=asked.measures))
    told = []
    for _, (found,) in base.answers([base.viewer(item.logins[0]) for item in classes], [question]):
        told.append(found.total if isinstance(found, TotalsAnswer) else [None for _ in asked.measures])
    return told
