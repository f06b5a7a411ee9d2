"""The SQL of a question as a viewer's roles secure it, for looking at; nothing is run."""

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.shape import Shape
from moorland.core.engine.pushdown import Statement
from moorland.core.engine.questions import Question, Refused
from moorland.core.language.dialects import DIALECTS
from moorland.core.language.sql_parts import NotInSql
from moorland.server.duties.permission import within
from moorland.server.errors import answer, missing, read_body
from moorland.server.requests import account_of
from moorland.server.viewing.looking import may_look, needs_values
from moorland.server.viewing.looks import record_look
from moorland.server.viewing.service import asked_evaluator, models_of, resolve, viewer_title
from moorland.server.viewing.shapes import Asked, PinnedViewer


class SqlRequest(Asked):
    """A question about rows or totals, for one viewer, in the words of a database engine."""

    viewer: PinnedViewer
    question: Question
    dialect: str = "postgres"


class SqlStatement(Shape):
    """One statement: what it gives, its text, and the values bound to it."""

    gives: str
    measure: str | None
    sql: str
    parameters: dict[str, Any]
    looks_up: list[str]


class SqlAnswer(Shape):
    """The statements, or why there are none."""

    dialects: list[str]
    statements: list[SqlStatement]
    refused: str | None = None


class Sql(APIView):
    """By duty: the secured SQL of a question for any viewer, unsaved sentences included."""

    needs = {"POST": within("look-values")}

    @extend_schema(request=SqlRequest, responses=SqlAnswer)
    def post(self, request: Request) -> Response:
        asked = read_body(request, SqlRequest)
        if asked.dialect not in DIALECTS:
            raise missing("dialect", asked.dialect)
        if may_look(request, asked, [asked.viewer], models_of([asked.question])) != "values":
            raise needs_values()
        base = asked_evaluator(asked)
        record_look(account_of(request), [viewer_title(asked.viewer)], "the SQL of a question", asked.state)
        try:
            found = base.sql(resolve(base, asked.viewer), asked.question, DIALECTS[asked.dialect])
        except NotInSql as error:
            return answer(SqlAnswer(dialects=list(DIALECTS), statements=[], refused=f"This is not answered in SQL yet: {error}."))
        except Refused as refused:
            return answer(SqlAnswer(dialects=list(DIALECTS), statements=[], refused=refused.message))
        return answer(SqlAnswer(dialects=list(DIALECTS), statements=[_shown(item) for item in found]))


def _shown(statement: Statement) -> SqlStatement:
    values = {name: value if isinstance(value, bool | int | float | str) else value.isoformat() for name, value in statement.parameters.items()}
    return SqlStatement(gives=statement.gives, measure=statement.measure, sql=statement.sql, parameters=values, looks_up=statement.looks_up)
