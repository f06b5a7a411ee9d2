"""Models of the draft: save, add, delete; what their tables hold; data brought in, refreshed, accepted."""

import re
from functools import partial
from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.document import Bundle
from moorland.core.bundle.model import Model as ModelShape
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.schema import Step
from moorland.core.bundle.writing import to_plain
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.in_place import on_strata
from moorland.core.engine.model_data import ModelData
from moorland.core.insight.differences import differences
from moorland.core.insight.exhibits import page_problems
from moorland.core.insight.profile import ColumnProfile, RelationshipHealth, column_profile, relationship_health
from moorland.core.insight.touching import dependents, touches
from moorland.server.catalog.expressions import tried_column, tried_measure
from moorland.server.catalog.importing import accept_refresh, bring_in, checked, compared_with, stage_refresh
from moorland.server.catalog.models import KeptTable, Model, TableContent
from moorland.server.catalog.scope import refuse_content, refuse_model, sees_all, without_values
from moorland.server.catalog.shapes import (
    ImportRequest,
    MeasureCheck,
    MeasureRequest,
    ModelSave,
    NewModel,
    RefreshesAnswer,
    RefreshRequest,
    SentenceTouch,
    StagedContent,
    TableProfile,
)
from moorland.server.catalog.storage import remove_ended
from moorland.server.changes import expect_version, recorded
from moorland.server.duties.permission import request_rights, within
from moorland.server.duties.rights import outside
from moorland.server.errors import Failure, answer, from_document, missing, read_body
from moorland.server.evaluating import evaluator, evaluator_of
from moorland.server.releases.bundles import bundle_of, draft_policy
from moorland.server.requests import VERSION, account_of, version_of
from moorland.server.tasks.running import start
from moorland.server.tasks.shapes import TaskAnswer, task_answer
from moorland.server.viewing.knowing import may_know_model
from moorland.server.viewing.looks import record_look
from moorland.server.viewing.service import where_rows_are

#: So many parts of a changed model are told in the trail.
MOST_PARTS = 60


def stored_model(name: str) -> Model:
    """A model of the draft. Raises Failure (404)."""
    found = Model.objects.filter(name=name).first()
    if found is None:
        raise missing("model", name)
    return found


class Models(APIView):
    """By duty: a new model without tables."""

    needs = {"POST": within("models")}

    @extend_schema(request=NewModel, responses={201: ModelSave})
    def post(self, request: Request) -> Response:
        asked = read_body(request, NewModel)
        if not request_rights(request).reaches("models", model=asked.name):
            raise outside("A new model is for who keeps all models, or this one by name.")
        if Model.objects.filter(name=asked.name).exists() or "." in asked.name or "/" in asked.name:
            message = (
                f"There is a model {asked.name} already."
                if "." not in asked.name and "/" not in asked.name
                else "A model's name has neither a point nor a slash."
            )
            raise Failure(422, "invalid", message, [Problem("duplicate", message, path="name")])
        shape = ModelShape(name=asked.name, label=asked.label)
        with recorded(account_of(request), "add model", shape.name, "policy") as change:
            change.after = to_plain(shape)
            stored = Model.appended(shape.name, change.after)
        return answer(ModelSave(document=shape, version=stored.version), 201)


class DraftModel(APIView):
    """By duty: save or delete a model of the draft. Stale saves are refused; so is what would break a role, a page or a measure, with every place named."""

    needs = {"PUT": within("models"), "DELETE": within("models")}

    @extend_schema(request=ModelSave, responses=ModelSave)
    def put(self, request: Request, model: str) -> Response:
        asked = read_body(request, ModelSave)
        refuse_model(request, model)
        if asked.document.name != model:
            raise Failure(422, "invalid", "A model keeps its name; roles and pages refer to it. Change its label instead.")
        document = to_plain(asked.document)
        if document != stored_model(model).document:
            # Joining takes as long as there is data; done here, it is quick where everybody who writes waits for it.
            _still_evaluates(model, document)
        with recorded(account_of(request), "change model", model, "policy") as change:
            stored = stored_model(model)
            expect_version(stored, asked.version, f"the model {model}", lambda: {"document": stored.document, "version": stored.version})
            if document == stored.document:
                change.nothing()
            else:
                before, base = stored.document, evaluator("draft")
                stored.rewritten(document)
                _pages_still_fit(model, base, _still_evaluates(model))
                change.details["changed"] = _changed_parts(before, document)
        return answer(ModelSave(document=asked.document, version=stored.version))

    @extend_schema(request=None, responses={204: None}, parameters=[VERSION])
    def delete(self, request: Request, model: str) -> Response:
        refuse_model(request, model)
        with recorded(account_of(request), "delete model", model, "policy") as change:
            stored = stored_model(model)
            expect_version(stored, version_of(request), f"the model {model}", lambda: {"document": stored.document, "version": stored.version})
            change.before = stored.document
            stored.delete()
            _still_evaluates(None)
        return Response(status=204)


def _still_evaluates(model: str | None, document: dict[str, Any] | None = None) -> Evaluator:
    """The draft as it would be, with a model's document in place of the stored one. Raises Failure with every place that no longer holds together."""
    bundle: Bundle | None = None
    try:
        policy, _ = draft_policy()
        models = policy["models"] if document is None else [document if item["name"] == model else item for item in policy["models"]]
        bundle = bundle_of("draft", {**policy, "models": models})
        made = evaluator_of(bundle)
        if model is not None:
            made.data(model)
    except BundleError as error:
        problems = [problem.at(named_place(bundle, problem.path)) for problem in error.problems]
        message = problems[0].sentence() if len(problems) == 1 else f"{len(problems)} places would no longer hold together."
        raise Failure(422, "invalid", message, problems) from None
    return made


_PARTS = re.compile(r"(roles|models|tables|columns|measures|hierarchies|cubes|sentences|pages)\[(\d+)\]")


def named_place(bundle: Bundle | None, path: str) -> str:
    """A place inside a bundle in the words of the screens: `roles[2].sentences[0].rows.where` is “role Area steward, sentence 1”."""
    here: Any = bundle
    words: list[str] = []
    for part, index in _PARTS.findall(path) if bundle is not None else []:
        items = getattr(here, part, None)
        if items is None or int(index) >= len(items):
            break
        here = items[int(index)]
        if part == "sentences":
            words.append(f"sentence {int(index) + 1} ({here.kind})")
        elif part != "models":
            words.append(f"{part.removesuffix('s') if part != 'hierarchies' else 'hierarchy'} {getattr(here, 'title', None) or here.name}")
    return ", ".join(words) or path


def _pages_still_fit(name: str, before: Evaluator, after: Evaluator) -> None:
    """Raises Failure naming everything on pages that would no longer fit the model: it would be unavailable to everybody, without a word."""
    problems = []
    for page in after.bundle.pages:
        if page.model == name:
            already = {problem.path for problem in page_problems(before, page)}
            problems += [
                Problem("in_use", f"the page {page.title}: {problem.message} Take it out there first.", path=f"pages.{page.name}")
                for problem in page_problems(after, page)
                if problem.path not in already
            ]
    if problems:
        message = problems[0].message if len(problems) == 1 else f"{len(problems)} places on pages would no longer fit."
        raise Failure(422, "invalid", message[0].upper() + message[1:], problems)


def _changed_parts(before: dict[str, Any], after: dict[str, Any]) -> list[dict[str, Any]]:
    """The parts of a model that differ, with both sides, for the trail."""
    changes = differences({"models": [before]}, {"models": [after]})
    return [part.model_dump(mode="json") for change in changes for part in change.differences][:MOST_PARTS]


class Profile(APIView):
    """By duty: what a table of the draft holds, over all rows, and which sentences touch it."""

    needs = {"GET": within("models", "look-shapes", "roles")}

    @extend_schema(responses=TableProfile)
    def get(self, request: Request, model: str, table: str) -> Response:
        base = evaluator("draft")
        rights = request_rights(request)
        if model not in base.models or table not in base.models[model].schema.tables or not may_know_model(rights, model):
            raise missing("table", f"{model}.{table}")
        schema, data = base.models[model].schema, where_rows_are(base, model, table, account_of(request).login).data(model)
        values = sees_all(request, model)
        record_look(account_of(request), ["all data"], f"columns of {table}", "draft")
        content = TableContent.objects.filter(model=model, table=schema.original(table), state="current").first()
        steps = [step for steps in schema.parents.values() for step in steps if table in (step.many, step.one)]
        return answer(
            TableProfile(
                table=table,
                rows=data.size(table),
                content=content.content if content else None,
                source=content.source if content else "",
                brought_at=content.created_at.isoformat() if content else None,
                kept=KeptTable.objects.filter(model=model, table=table).exists(),
                columns=[_profiled(data, table, column.name) for column in schema.tables[table].columns] if values else [],
                relationships=[on_strata(data, partial(_health, step)) for step in steps] if values else [],
                touches=[
                    SentenceTouch(role=item.role, label=item.label, sentence=item.sentence, kind=item.kind, object=item.object)
                    for item in touches(base, model, table)
                ],
                dependents=dependents(base, model, table),
            )
        )


def _profiled(data: ModelData, table: str, column: str) -> ColumnProfile:
    """A column of a table here, or left in place: its values are asked for alone."""
    return on_strata(data, lambda on: column_profile(on, table, column))


def _health(step: Step, data: ModelData) -> RelationshipHealth:
    return relationship_health(data, step)


class MeasureTry(APIView):
    """By duty: an edited measure or derived column over all data of the draft, checked as it is typed."""

    needs = {"POST": within("models")}

    @extend_schema(request=MeasureRequest, responses=MeasureCheck)
    def post(self, request: Request, model: str) -> Response:
        refuse_model(request, model)
        asked = read_body(request, MeasureRequest)
        base = evaluator("draft")
        if model not in base.models or asked.table not in base.models[model].schema.tables:
            raise missing("table", f"{model}.{asked.table}")
        record_look(account_of(request), ["all data"], f"{asked.kind}s of {asked.table}", "draft")
        found = tried_measure(base, model, asked) if asked.kind == "measure" else tried_column(base, model, asked)
        return answer(found if sees_all(request, model) else found.model_copy(update={"value": None, "samples": []}))


class Imports(APIView):
    """By duty: bring confirmed tables in. The work runs as a task; all of it is done, or nothing."""

    needs = {"POST": within("models")}

    @extend_schema(request=ImportRequest, responses={202: TaskAnswer})
    def post(self, request: Request) -> Response:
        asked = read_body(request, ImportRequest)
        refuse_model(request, asked.model)
        refuse_content(request, asked.model, [table.name for table in asked.tables])
        checked(asked)
        account = account_of(request)
        task = start("import", asked.model, account, lambda progress: bring_in(asked, account, progress))
        return answer(task_answer(task), 202)


class Refreshes(APIView):
    """By duty: refreshes that wait to be accepted; stage new content for a table."""

    needs = {"GET": within("models")}

    @extend_schema(responses=RefreshesAnswer)
    def get(self, request: Request, model: str) -> Response:
        refuse_model(request, model)
        staged = TableContent.objects.filter(model=model, state="staged").exclude(report={}).select_related("created_by").order_by("created_at")
        refreshes = [_staged(content) for content in staged]
        if not sees_all(request, model):
            refreshes = [item.model_copy(update={"report": without_values(item.report)}) for item in refreshes]
        return answer(RefreshesAnswer(refreshes=refreshes))


class Refresh(APIView):
    """By duty: stage new content for a table, as a task; nobody sees it before it is accepted."""

    needs = {"POST": within("models")}

    @extend_schema(request=RefreshRequest, responses={202: TaskAnswer})
    def post(self, request: Request, model: str, table: str) -> Response:
        refuse_model(request, model)
        asked = read_body(request, RefreshRequest)
        stored_model(model)
        if KeptTable.objects.filter(model=model, table=table).exists():
            raise Failure(422, "kept", f"{table} is kept here. Import lines into it from its own screen.")
        account = account_of(request)
        task = start("refresh", f"{model}.{table}", account, lambda progress: stage_refresh(model, table, asked, account, progress))
        return answer(task_answer(task), 202)


class OneRefresh(APIView):
    """By duty: accept a staged refresh, or throw it away."""

    needs = {"POST": within("models"), "DELETE": within("models")}

    @extend_schema(request=None, responses={200: RefreshesAnswer})
    def post(self, request: Request, key: int) -> Response:
        content = _waiting(request, key)
        refuse_content(request, content.model, [content.table])
        accept_refresh(content, account_of(request))
        return answer(RefreshesAnswer(refreshes=[]))

    @extend_schema(request=None, responses={204: None})
    def delete(self, request: Request, key: int) -> Response:
        content = _waiting(request, key)
        with recorded(account_of(request), "drop refresh", f"{content.model}.{content.table}") as change:
            change.details["file"] = content.source
            TableContent.objects.filter(pk=content.pk).update(state="ended")
        remove_ended()
        return Response(status=204)


def _waiting(request: Request, key: int) -> TableContent:
    content = TableContent.objects.filter(pk=key, state="staged").first()
    if content is None or not request_rights(request).reaches("models", model=content.model):
        raise Failure(404, "not_found", "This refresh was accepted or dropped already.")
    return content


def _staged(content: TableContent) -> StagedContent:
    return from_document(
        StagedContent,
        {
            "id": content.pk,
            "model": content.model,
            "table": content.table,
            "source": content.source,
            "rows": content.rows,
            "at": content.created_at.isoformat(),
            "by": content.created_by.login if content.created_by else None,
            "report": content.report,
            "compared": compared_with(content),
        },
    )
