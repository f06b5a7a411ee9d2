"""Tables kept here: keep one, its lines, changes of lines with gain and loss, history."""

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.problems import BundleError
from moorland.core.insight.impacts import Impacts, shared
from moorland.server.catalog.kept_lines import stored_columns
from moorland.server.catalog.line_shapes import HistoryAnswer, LineEntry, LinesAnswer, LinesChange, LinesCheck, LinesChecked
from moorland.server.catalog.lines import (
    faults,
    group_identities,
    keep,
    kept_table,
    lines_answer,
    made,
    meanings,
    suggestions,
    table_shape,
    tried,
)
from moorland.server.catalog.scope import readers_of, refuse_model, sees_all
from moorland.server.changes import recorded
from moorland.server.directory.shapes import ImpactAnswer
from moorland.server.duties.judging import keeps_alone
from moorland.server.duties.permission import request_rights, within
from moorland.server.duties.rights import outside
from moorland.server.errors import Failure, answer, read_body
from moorland.server.evaluating import evaluator
from moorland.server.requests import TRY, account_of, only_tried

MOST_HISTORY = 2_000


def _refuse_lines(request: Request, model: str) -> None:
    """Raises Failure where the model is not the account's to keep, or it may not see what stands in its tables."""
    refuse_model(request, model)
    if not sees_all(request, model):
        raise outside("Lines are values of the data: this needs the duty to look at everybody in this model with values.")


def _refuse_gains(request: Request, model: str, table: str, viewers: Impacts) -> None:
    """Raises Failure (403) where a change of lines is for somebody, by a role, that the account may not map; or for itself, unless it is alone."""
    rights, account, base = request_rights(request), account_of(request), evaluator("live")
    for name in readers_of(base, model, table) if not rights.keeps_all else ():
        for item in viewers:
            if item.login in base.people.users and not rights.reaches("map", person=base.viewer(item.login), role=name):
                raise outside(f"{base.roles[name].role.title} reads these lines, and mapping it to {item.login} is not in the scope of your duties.")
    gains = any(item.login == account.login and (item.gained or any(change.gained for change in item.tables)) for item in viewers)
    if gains and not keeps_alone(account):
        raise outside("By this you would see more yourself. Somebody else who may do it has to make this change.")


class KeptTables(APIView):
    """By duty: keep a table's lines here from now on; or no longer, the table keeps what it holds."""

    needs = {"POST": within("models"), "DELETE": within("models")}

    @extend_schema(request=None, responses={201: LinesAnswer})
    def post(self, request: Request, model: str, table: str) -> Response:
        _refuse_lines(request, model)
        kept = keep(model, table, account_of(request))
        return answer(lines_answer(kept, table_shape(model, table), evaluator("draft")), 201)

    @extend_schema(request=None, responses={204: None})
    def delete(self, request: Request, model: str, table: str) -> Response:
        _refuse_lines(request, model)
        with recorded(account_of(request), "keep no longer", f"{model}.{table}"):
            kept_table(model, table).delete()
        return Response(status=204)


class Lines(APIView):
    """By duty: the lines of a table kept here; change them. `try=true` only shows who gains and loses."""

    needs = {"GET": within("models"), "POST": within("models")}

    @extend_schema(responses=LinesAnswer)
    def get(self, request: Request, model: str, table: str) -> Response:
        _refuse_lines(request, model)
        return answer(lines_answer(kept_table(model, table), table_shape(model, table), evaluator("draft")))

    @extend_schema(request=LinesChange, responses=ImpactAnswer, parameters=[TRY])
    def post(self, request: Request, model: str, table: str) -> Response:
        asked = read_body(request, LinesChange)
        _refuse_lines(request, model)
        kept, shape = kept_table(model, table), table_shape(model, table)
        try:
            viewers = tried(kept, shape, asked, account_of(request))
            _refuse_gains(request, model, table, viewers)
            if not only_tried(request):
                made(kept_table(model, table), shape, asked, account_of(request))
        except BundleError as error:
            raise Failure(422, "invalid", error.problems[0].sentence(), error.problems) from None
        return answer(ImpactAnswer(viewers=shared(viewers), broken=[]))


class LinesTry(APIView):
    """By duty: what looks wrong in lines while they are typed or pasted."""

    needs = {"POST": within("models")}

    @extend_schema(request=LinesCheck, responses=LinesChecked)
    def post(self, request: Request, model: str, table: str) -> Response:
        asked = read_body(request, LinesCheck)
        _refuse_lines(request, model)
        kept_table(model, table)
        base = evaluator("draft")
        meaning = meanings(base, model, table)
        known = {name: suggestions(base, model, item) for name, item in meaning.items()}
        columns, groups = stored_columns(table_shape(model, table)), group_identities(base)
        return answer(LinesChecked(faults=[faults(columns, meaning, known, groups, dict(line)) for line in asked.lines]))


class LinesHistory(APIView):
    """By duty: every line there ever was, with who added and who ended it."""

    needs = {"GET": within("models")}

    @extend_schema(responses=HistoryAnswer)
    def get(self, request: Request, model: str, table: str) -> Response:
        _refuse_lines(request, model)
        lines = kept_table(model, table).lines.order_by("-id")[:MOST_HISTORY]
        shown = [
            LineEntry(
                id=line.pk,
                values=line.values,
                reason=line.reason,
                added_at=line.added_at.isoformat(),
                added_by=line.added_by,
                ended_at=line.ended_at.isoformat() if line.ended_at else None,
                ended_by=line.ended_by or None,
                faults=[],
            )
            for line in lines
        ]
        return answer(HistoryAnswer(lines=sorted(shown, key=lambda line: line.ended_at or line.added_at, reverse=True)))
