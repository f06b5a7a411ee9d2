"""Questions of administrators: any viewers, draft or live, unsaved sentences included. Every look goes to the trail."""

import contextlib
from collections.abc import Iterator
from functools import partial

import numpy as np
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.problems import BundleError
from moorland.core.bundle.structure import object_names
from moorland.core.engine.cells import json_values
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.grouping import value_counts
from moorland.core.engine.in_place import on_strata
from moorland.core.engine.objects import objects_answer
from moorland.core.engine.questions import AnswerError, ObjectsAnswer, PagesQuestion, Question
from moorland.core.engine.unanswered import SourceFailed
from moorland.core.insight.effect import AlignedRows, ModelShare, aligned_rows, share
from moorland.core.insight.falling import Fallen, fallen
from moorland.core.language.checking import Scope, check_condition
from moorland.core.language.clauses import grouped_clauses
from moorland.core.language.errors import ConditionError
from moorland.core.language.tokens import has_comment
from moorland.core.people import Viewer
from moorland.server.catalog.models import Model
from moorland.server.duties.permission import READERS, request_rights, within
from moorland.server.errors import answer, missing, problem_shape, read_body
from moorland.server.evaluating import evaluator
from moorland.server.requests import STATE_PARAMETER, account_of, state_of
from moorland.server.viewing.knowing import may_know_model, may_read_literals, own_values, without_model_literals
from moorland.server.viewing.looking import may_look, needs_values
from moorland.server.viewing.looks import record_look
from moorland.server.viewing.matching import matched_values
from moorland.server.viewing.service import asked_evaluator, beside, evaluators, models_of, resolve, subject_of, viewer_title, where_rows_are, why_nothing
from moorland.server.viewing.shapes import (
    AlignedRequest,
    AllData,
    CheckAnswer,
    CheckRequest,
    EffectAnswer,
    EffectRequest,
    EffectSide,
    EvaluateAnswer,
    EvaluateRequest,
    MatchAnswer,
    MatchRequest,
    ModelAnswer,
    PinnedViewer,
    ValueCount,
    ValuesAnswer,
    ViewerAnswers,
)
from moorland.server.viewing.shapes_only import refuse_aligned, refuse_effect, refuse_questions, shapes_of, shapes_of_rows


class Evaluate(APIView):
    """By duty: answers questions for any viewers."""

    needs = {"POST": within("look-shapes")}

    @extend_schema(request=EvaluateRequest, responses=EvaluateAnswer)
    def post(self, request: Request) -> Response:
        asked = read_body(request, EvaluateRequest)
        named = [*asked.viewers, *([AllData(all_data=True)] if asked.unseen else [])]
        level = may_look(request, asked, named, models_of(asked.ask))
        if level == "shapes":
            refuse_questions(asked.ask)
        after = asked_evaluator(asked)
        subjects = ", ".join(sorted({subject_of(question.asked) for question in asked.ask}))
        record_look(account_of(request), [viewer_title(viewer) for viewer in asked.viewers], subjects, asked.state)
        viewers = [resolve(after, pinned) for pinned in asked.viewers]
        on = [beside(after, viewers, None if isinstance(question.asked, PagesQuestion) else question.asked.model) for question in asked.ask]
        entries = [
            ViewerAnswers(viewer=viewer.login, answers=[base.answer(viewer, question) for base, question in zip(on, asked.ask, strict=True)])
            for viewer in viewers
        ]
        others = [viewer for viewer in viewers if not viewer.everything]
        unseen = [after.unseen(others, question.totals) for question in asked.ask if asked.unseen and question.totals]
        if level == "shapes":
            entries = [entry.model_copy(update={"answers": [shapes_of(one) for one in entry.answers]}) for entry in entries]
            unseen = [shapes_of(one) for one in unseen]
        return answer(EvaluateAnswer(state=asked.state, unsaved=bool(asked.edited), viewers=entries, unseen=unseen))


class Effect(APIView):
    """By duty: what an edited role does to viewers, before and after, unsaved edits included."""

    needs = {"POST": within("look-shapes")}

    @extend_schema(request=EffectRequest, responses=EffectAnswer)
    def post(self, request: Request) -> Response:
        asked = read_body(request, EffectRequest)
        level = may_look(request, asked, asked.viewers, [asked.model])
        if level == "shapes":
            refuse_effect(asked.rows, asked.totals)
        before, after, problems = evaluators(asked.state, asked.as_of, asked.edited)
        if asked.model not in before.models:
            raise missing("model", asked.model)
        record_look(account_of(request), [viewer_title(viewer) for viewer in asked.viewers], f"effect on {asked.model}", asked.state)
        names = {role.name for role in asked.edited}
        held = []
        for pinned in asked.viewers:
            try:
                held.append(bool(names & set(resolve(after or before, pinned, lenient=True).held)))
            except BundleError:
                held.append(False)
        first = _side(before, asked)
        second = first if after is before else _side(after, asked) if after else None
        return answer(
            EffectAnswer(
                before=first if level == "values" else _shapes_of_side(first),
                after=second if level == "values" or second is None else _shapes_of_side(second),
                problems=[problem_shape(problem) for problem in problems],
                held_by=held,
                objects=_objects_of_edited(after, asked),
                fallen=_fallen_under_edited(after, asked),
                fell=[f"{item.kind}:{item.name}" for item in _fallen_under_edited(before, asked)],
            )
        )


def _shapes_of_side(side: EffectSide) -> EffectSide:
    rows = shapes_of_rows(side.rows) if side.rows is not None else None
    return side.model_copy(update={"rows": rows, "totals": [shapes_of(one) for one in side.totals]})


def _objects_of_edited(after: Evaluator | None, asked: EffectRequest) -> ObjectsAnswer | None:
    """What exists under the first edited role."""
    role = after.roles.get(asked.edited[0].name) if after and asked.edited else None
    return objects_answer(role.objects) if role and role.objects else None


def _fallen_under_edited(base: Evaluator | None, asked: EffectRequest) -> list[Fallen]:
    """What falls under the first edited role."""
    return fallen(base, asked.edited[0].name) if base and asked.edited and asked.edited[0].name in base.roles else []


def _known(base: Evaluator, viewers: list[PinnedViewer]) -> Iterator[Viewer]:
    """The viewers there are in a state."""
    for reference in viewers:
        with contextlib.suppress(BundleError):
            yield resolve(base, reference, lenient=True)


def _side(base: Evaluator, asked: EffectRequest) -> EffectSide:
    viewers, shares, model = [], [], asked.model
    base = beside(base, _known(base, asked.viewers), model)
    for reference in asked.viewers:
        try:
            viewer = resolve(base, reference, lenient=True)
        except BundleError as error:
            viewer = base.all_data()
            viewer.enabled = False
            shares.append(ModelShare(refused=AnswerError(code="not_found", message=error.problems[0].sentence()), tables=[], measures=[], absent_measures=[]))
        else:
            found = share(base, viewer, model)
            reason = why_nothing(base, viewer) or _without_grant(base, viewer, model)
            shares.append(found.model_copy(update={"refused": AnswerError(code=found.refused.code, message=reason)}) if found.refused and reason else found)
        viewers.append(viewer)
    totals = [base.answer(viewer, Question(totals=asked.totals)) for viewer in viewers] if asked.totals else []
    return EffectSide(shares=shares, rows=aligned_rows(base, asked.rows, viewers) if asked.rows else None, totals=totals)


def _without_grant(base: Evaluator, viewer: Viewer, model: str) -> str:
    """Why a model does not exist for somebody who holds roles elsewhere (6.3)."""
    title = base.models[model].schema.model.title
    return f"{viewer.name or viewer.login or 'This viewer'} holds no grant role on {title}, so the model does not exist for them."


class Aligned(APIView):
    """By duty: rows of a table for several viewers in one order, withheld ones in their places."""

    needs = {"POST": within("look-shapes")}

    @extend_schema(request=AlignedRequest, responses=AlignedRows)
    def post(self, request: Request) -> Response:
        asked = read_body(request, AlignedRequest)
        level = may_look(request, asked, asked.viewers, [asked.rows.model])
        if level == "shapes":
            refuse_aligned(asked.rows)
        after = asked_evaluator(asked)
        record_look(account_of(request), [viewer_title(viewer) for viewer in asked.viewers], f"rows of {asked.rows.table}", asked.state)
        found = aligned_rows(after, asked.rows, [resolve(after, pinned) for pinned in asked.viewers])
        return answer(found if level == "values" else shapes_of_rows(found))


class ModelDocument(APIView):
    """By duty: a model, the rows of its tables and what an objects sentence may mention."""

    needs = {"GET": READERS}

    @extend_schema(responses=ModelAnswer, parameters=[STATE_PARAMETER])
    def get(self, request: Request, model: str) -> Response:
        base = evaluator(state_of(request))
        if model not in base.models or not may_know_model(request_rights(request), model):
            raise missing("model", model)
        schema = base.models[model].schema
        stored = Model.objects.filter(name=model).first()
        return answer(
            ModelAnswer(
                document=schema.model if may_read_literals(request_rights(request), model) else without_model_literals(schema.model),
                version=stored.version if stored else 0,
                rows=_sizes(base, model),
                objects=object_names(schema.model),
                reaches={name: [other for other in schema.reached_from(name) if other != name] for name in schema.tables},
                chosen_by={name: list(attributes) for name, attributes in base.data(model).missing.items()},
            )
        )


def _sizes(base: Evaluator, model: str) -> dict[str, int]:
    """How many rows each table has; without those that stay in a source that is not reached, or is chosen by who asks."""
    found, data = dict[str, int](), base.data(model)
    for name in base.models[model].schema.tables.keys() - data.missing.keys():
        with contextlib.suppress(SourceFailed):
            found[name] = data.size(name)
    return found


class ColumnValues(APIView):
    """By duty: the distinct values of a column with their rows, for picking values in a sentence."""

    needs = {
        "GET": READERS,
        "POST": READERS,
    }

    @extend_schema(responses=ValuesAnswer, parameters=[STATE_PARAMETER, OpenApiParameter("search", str)])
    def get(self, request: Request, model: str, table: str, column: str) -> Response:
        base, rights = evaluator(state_of(request)), request_rights(request)
        if model not in base.models or (table, column) not in base.models[model].schema.columns or not may_know_model(rights, model):
            raise missing("column", f"{table}.{column}")
        if not rights.reaches("look-values", everyone=True, model=model):
            return answer(own_values(account_of(request), model, table, column, request.query_params.get("search", "")))
        record_look(account_of(request), ["all data"], f"values of {table}.{column}", state_of(request))
        labels, counts = on_strata(where_rows_are(base, model, table, account_of(request).login).data(model), partial(value_counts, (table, column)))
        search = request.query_params.get("search", "").casefold()
        values = json_values(labels, np.ones(len(labels), np.bool_))
        order = np.argsort(-counts[1:], kind="stable") if len(labels) > 200 else np.arange(len(labels))
        found = (ValueCount(value=values[index], rows=int(counts[index + 1])) for index in order.tolist() if search in str(values[index]).casefold())
        shown = [entry for _, entry in zip(range(200), found, strict=False)]
        return answer(ValuesAnswer(type=base.models[model].schema.columns[table, column].type, distinct=len(labels), blank=int(counts[0]), values=shown))

    @extend_schema(request=MatchRequest, responses=MatchAnswer)
    def post(self, request: Request, model: str, table: str, column: str) -> Response:
        asked = read_body(request, MatchRequest)
        base, rights = evaluator("draft"), request_rights(request)
        if model not in base.models or (table, column) not in base.models[model].schema.columns or not may_know_model(rights, model):
            raise missing("column", f"{table}.{column}")
        if not rights.reaches("look-values", everyone=True, model=model):
            raise needs_values()
        record_look(account_of(request), ["all data"], f"values of {table}.{column}", "draft")
        return answer(matched_values(where_rows_are(base, model, table, account_of(request).login), model, table, column, asked.texts))


class CheckCondition(APIView):
    """By duty: whether a condition can be used, checked as it is typed."""

    needs = {"POST": READERS}

    @extend_schema(request=CheckRequest, responses=CheckAnswer)
    def post(self, request: Request) -> Response:
        asked = read_body(request, CheckRequest)
        base = evaluator("draft")
        if asked.kind in ("rows", "question"):
            if (
                asked.model not in base.models
                or not may_know_model(request_rights(request), asked.model or "")
                or (asked.kind == "rows" and asked.table not in base.models[asked.model or ""].schema.tables)
            ):
                raise missing("table", f"{asked.table}")
            schema = base.models[asked.model or ""].schema
            scope = Scope(schema=schema, table=asked.table, attributes=base.people.definitions, anywhere=asked.table is None, inner=asked.kind == "rows")
        else:
            scope = Scope(attributes=base.people.definitions, page=asked.kind == "pages", viewer_roles=asked.kind != "assignment")
        try:
            checked = check_condition(asked.where, scope)
        except ConditionError as error:
            return answer(CheckAnswer(valid=False, problem=problem_shape(error.problem()), group=None))
        group = None if has_comment(asked.where) else grouped_clauses(checked, asked.where)
        return answer(CheckAnswer(valid=True, problem=None, group=group))
