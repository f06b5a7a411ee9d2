"""Reach: everybody at once, for administrators (semantics.md 11.5)."""

from collections.abc import Callable
from datetime import timedelta
from functools import lru_cache
from typing import Any, Literal

from django.http import HttpResponse
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from pydantic import Field
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.problems import BundleError
from moorland.core.bundle.shape import Day, Name, Shape
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.many_viewers import answers
from moorland.core.engine.questions import Question, TotalsAnswer, TotalsQuestion
from moorland.core.insight.model_reach import STATES, ReachClass, TableName
from moorland.core.insight.reach import Reach, reach
from moorland.core.insight.standing_out import Crossing, StandsOut, crossings, standing_out
from moorland.core.insight.statement import Statement, StatementQuestion, as_rows, statement
from moorland.core.people import Viewer
from moorland.server.directory.models import Account
from moorland.server.duties.permission import request_rights, within
from moorland.server.duties.rights import outside
from moorland.server.errors import Failure, answer, missing, read_body
from moorland.server.evaluating import evaluator, evaluator_of
from moorland.server.releases.bundles import release_bundle
from moorland.server.requests import account_of
from moorland.server.trail.models import record
from moorland.server.viewing.exporting import file_response
from moorland.server.viewing.looking import may_look, may_look_at_all, needs_values
from moorland.server.viewing.looks import record_look
from moorland.server.viewing.service import asked_evaluator
from moorland.server.viewing.shapes import Asked
from moorland.server.viewing.shapes_only import shapes_of_statement

#: Who has not signed in for so many days is told as quiet.
QUIET_DAYS = 90


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
    """Everybody at once, told as Reach tells it; `quiet` are those who have not signed in for 90 days."""

    tables: list[TableName]
    columns: list[str]
    measures: list[str]
    classes: list[ReachLine]
    sensitive: list[str]
    standing_out: list[StandsOut]
    quiet: list[str]


class ReachExport(ReachRequest):
    """The same as a file, a line for each class."""

    format: Literal["csv", "xlsx"]


class Underway(Shape):
    """How many people have been looked at, of how many; both zero where nobody waits for Reach."""

    done: int
    of: int


#: How far the look at everybody is that is under way. There is seldom more than one, and nothing is told but numbers of people.
_underway = {"done": 0, "of": 0}


@lru_cache(maxsize=6)
def reach_of(base: Evaluator, model: str | None) -> Reach:
    """The classes; an evaluator never changes, so neither do they."""
    _tell(0, sum(len(same.logins) for same in base.alike))
    try:
        return reach(base, model, _tell)
    finally:
        _tell(0, 0)


def _tell(done: int, of: int) -> None:
    _underway.update(done=done, of=of)


@lru_cache(maxsize=6)
def outliers_of(base: Evaluator, model: str | None) -> list[StandsOut]:
    """Who stands out; kept as `reach_of` is."""
    return standing_out(base, reach_of(base, model))


class Reaching(APIView):
    """By duty: classes of people who see exactly the same, and who stands out."""

    needs = {"POST": within("look-shapes")}

    @extend_schema(request=ReachRequest, responses=ReachAnswer)
    def post(self, request: Request) -> Response:
        asked = read_body(request, ReachRequest)
        level, seen = may_look_at_all(request, asked, asked.model)
        if level == "shapes" and asked.measures:
            raise needs_values()
        base, lines = _lines(asked)
        record_look(account_of(request), ["everyone"], "reach", asked.state)
        found = reach_of(base, asked.model)
        known = {viewer.login for viewer in base.everyone() if seen(viewer)}
        told = ReachAnswer(
            tables=found.tables,
            columns=found.columns,
            measures=found.measures,
            classes=[kept for line in lines if (kept := _among(line, known)) is not None],
            sensitive=found.sensitive,
            standing_out=[item for item in outliers_of(base, asked.model) if item.login in known]
            if level == "values"
            else [_unquoted(item) for item in outliers_of(base, asked.model) if item.login in known],
            quiet=[login for login in _not_signed_in() if login in known],
        )
        return answer(told)


class ReachUnderway(APIView):
    """By duty: how far the look at everybody is, while it is waited for."""

    needs = {"GET": within("look-shapes")}

    @extend_schema(responses=Underway)
    def get(self, request: Request) -> Response:
        return answer(Underway(**_underway))


class ReachFiles(APIView):
    """By duty: the classes as a file."""

    needs = {"POST": within("look-values")}

    @extend_schema(request=ReachExport, responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def post(self, request: Request) -> HttpResponse:
        asked = read_body(request, ReachExport)
        if may_look_at_all(request, asked, asked.model)[0] != "values" or not request_rights(request).reaches(
            "look-values", everyone=True, model=asked.model, every_model=asked.model is None
        ):
            raise outside("A file of everybody is for who may look at all people with values.")
        base, lines = _lines(asked)
        rows = _table(reach_of(base, asked.model), lines, asked.measures)
        record(account_of(request).login, "export", "reach", rows=len(rows) - 1, format=asked.format, state=asked.state)
        return file_response("reach", asked.format, rows)


def _lines(asked: ReachRequest) -> tuple[Evaluator, list[ReachLine]]:
    """The classes as they are asked for. Raises Failure."""
    base = asked_evaluator(asked)
    if asked.model is not None and asked.model not in base.models:
        raise missing("model", asked.model)
    found, before = reach_of(base, asked.model), _against(asked)
    values = _values(base, asked, found.classes)
    otherwise: list[list[Crossing]] = crossings(before, found) if before is not None else [[] for _ in found.classes]
    return base, [ReachLine(**dict(item), values=told, otherwise=parts) for item, told, parts in zip(found.classes, values, otherwise, strict=True)]


def _unquoted(item: StandsOut) -> StandsOut:
    """Somebody who stands out, without the words of the sentences and mappings that make it so."""
    return item.model_copy(update={"message": f"{item.name} sees otherwise than most of {item.label}."})


def _among(line: ReachLine, known: set[str | None]) -> ReachLine | None:
    """A class as it is told of the people known; None where it holds none of them."""
    logins = [login for login in line.logins if login in known]
    if len(logins) == len(line.logins):
        return line
    return line.model_copy(update={"logins": logins, "otherwise": []}) if logins else None


def _table(found: Reach, lines: list[ReachLine], measures: list[str]) -> list[list[Any]]:
    """The classes as lines of a file, under a heading."""
    pages = sorted({page for line in lines for page in line.pages})
    head = ["people", "logins", "roles", *(f"rows of {table.name}" for table in found.tables), *found.columns, *measures, *(f"page {name}" for name in pages)]
    return [head] + [
        [
            len(line.logins),
            ", ".join(line.logins),
            ", ".join(line.roles),
            *line.rows,
            *(STATES[letter] for letter in line.states),
            *line.values,
            *("opens" if name in line.pages else "" for name in pages),
        ]
        for line in lines
    ]


def _not_signed_in() -> list[str]:
    """Enabled people who have not signed in for so many days, or never."""
    since = timezone.now() - timedelta(days=QUIET_DAYS)
    quiet = Account.objects.filter(enabled=True, kind="person").exclude(last_login__gte=since)
    return sorted(quiet.values_list("login", flat=True))


def _against(asked: ReachRequest) -> Reach | None:
    """What it is compared with. Raises Failure where that is not one thing, or cannot be evaluated."""
    chosen = [asked.against_live, asked.against_release is not None, asked.against_day is not None]
    if sum(chosen) > 1:
        raise Failure(422, "invalid", "Compare with one thing: live, a release, or another day.")
    if asked.against_live:
        other = evaluator("live", asked.as_of, as_lived=True)
    elif asked.against_day is not None:
        other = evaluator(asked.state, asked.against_day, as_lived=True)
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
    for _, (found,) in answers(base, [base.viewer(item.logins[0]) for item in classes], [question]):
        told.append(found.total if isinstance(found, TotalsAnswer) else [None for _ in asked.measures])
    return told


class StatementRequest(Asked):
    """Of whom, or of what."""

    about: StatementQuestion


class StatementExport(StatementRequest):
    """The same as a file."""

    format: Literal["csv", "xlsx"]


class Statements(APIView):
    """By duty: what a person may see, or who may see a table or page, by which sentence and since when."""

    needs = {"POST": within("look-shapes")}

    @extend_schema(request=StatementRequest, responses=Statement)
    def post(self, request: Request) -> Response:
        return answer(_stated(request, read_body(request, StatementRequest)))


class StatementFiles(APIView):
    """By duty: a statement as a file."""

    needs = {"POST": within("look-values")}

    @extend_schema(request=StatementExport, responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def post(self, request: Request) -> HttpResponse:
        asked = read_body(request, StatementExport)
        told = _stated(request, asked)
        record(account_of(request).login, "export", told.title, rows=len(told.lines), format=asked.format, state=asked.state)
        return file_response("statement", asked.format, as_rows(told))


def _anybody(_: Viewer) -> bool:
    return True


def _stated(request: Request, asked: StatementRequest) -> Statement:
    about = asked.about
    if about.person is not None:
        level = may_look(request, asked, [about.person], [])
        seen: Callable[[Viewer], bool] = _anybody
    else:
        level, seen = may_look_at_all(request, asked, about.model)
    record_look(account_of(request), [about.person or "everyone"], f"statement of {about.person or about.table or about.page}", asked.state)
    base = asked_evaluator(asked)
    told = statement(base, about)
    known = {viewer.login for viewer in base.everyone() if seen(viewer)}
    told = told.model_copy(update={part: [line for line in getattr(told, part) if line.login in known] for part in ("lines", "limits")})
    return told if level == "values" else shapes_of_statement(told)
