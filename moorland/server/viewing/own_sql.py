"""SQL over HTTP: the query door's statements for programs that write them in somebody's name (channels.md)."""

import datetime
from typing import Any

from drf_spectacular.utils import extend_schema
from pydantic import Field
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.problems import Problem
from moorland.core.bundle.shape import Scalar, Shape, ValueType
from moorland.core.door.asking import ask_planned, planned
from moorland.core.door.catalogue import Catalogue, catalogue_of
from moorland.core.door.errors import SqlRefused
from moorland.core.door.reading import MOST_SIGNS
from moorland.core.engine.evaluator import Evaluator
from moorland.core.people import Viewer
from moorland.core.price import most_lines, pay_lines
from moorland.server.access.standing_in import asking_login, reaches
from moorland.server.duties.permission import SIGNED_IN
from moorland.server.errors import Failure, answer, read_body
from moorland.server.evaluating import evaluator
from moorland.server.requests import account_of
from moorland.server.trail.models import record
from moorland.server.viewing.role_use import note_questions


class OwnSqlRequest(Shape):
    """One statement, with the values of its parameters `$1`, `$2`, …"""

    sql: str = Field(min_length=1, max_length=MOST_SIGNS)
    parameters: list[Scalar | None] = Field(default_factory=list, max_length=1000)


class OwnSqlColumn(Shape):
    """A column of the answer."""

    name: str
    type: ValueType


class OwnSqlAnswer(Shape):
    """What a statement gives; notices say where not all rows that match are listed."""

    columns: list[OwnSqlColumn]
    rows: list[list[Any]]
    notices: list[str]


class OwnSql(APIView):
    """Anybody signed in, and programs in their name: a SELECT, asked as questions of their own, and computed on the answers."""

    needs = {"POST": SIGNED_IN}
    stands_in = True

    @extend_schema(request=OwnSqlRequest, responses=OwnSqlAnswer)
    def post(self, request: Request) -> Response:
        asked = read_body(request, OwnSqlRequest)
        base = evaluator("live")
        login = asking_login(request)
        viewer, account = base.viewer(login), account_of(request)
        stood_for = {"as": login} if login != account.login else {}
        record(account.login, "ask", "sql", **stood_for, statement=asked.sql[:2000])
        try:
            plan = planned(base, viewer, asked.sql, asked.parameters, _catalogue(request, base, viewer))
            note_questions(base, viewer, [part.question for part in plan.bases])
            found = ask_planned(base, viewer, plan)
        except SqlRefused as refused:
            problem = Problem(refused.code, refused.hint or refused.message, path="sql", start=refused.position)
            raise Failure(422, "sql", refused.message, [problem]) from None
        rows, most = found.rows, most_lines()
        notices = list(found.notices)
        if most is not None and len(rows) > most:
            notices.append(f"{most:,} of {len(rows):,} rows: an answer over HTTP has no more")
            rows = rows[:most]
        pay_lines(len(rows), len(found.names))
        columns = [OwnSqlColumn(name=name, type=kind) for name, kind in zip(found.names, found.types, strict=True)]
        return answer(OwnSqlAnswer(columns=columns, rows=[[_told(value) for value in row] for row in rows], notices=notices))


def _catalogue(request: Request, base: Evaluator, viewer: Viewer) -> Catalogue:
    """What exists for the viewer, in the models a token reaches."""
    return Catalogue(tuple(item for item in catalogue_of(base, viewer).relations if reaches(request, item.schema)))


def _told(value: Any) -> Any:
    return value.isoformat() if isinstance(value, datetime.date) else value
