"""Models of the draft: save, add, delete; what their tables hold; data brought in, refreshed, accepted."""

import re
from typing import Any

from django.db import transaction
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.document import Bundle
from moorland.core.bundle.model import Model as ModelShape
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.writing import to_plain
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.profile import column_profile, relationship_health
from moorland.core.insight.touching import dependents, touches
from moorland.server.catalog.expressions import tried_column, tried_measure
from moorland.server.catalog.importing import accept_refresh, bring_in, checked, stage_refresh
from moorland.server.catalog.models import KeptTable, Model, TableContent
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
from moorland.server.catalog.storage import load_table
from moorland.server.errors import Failure, answer, from_document, missing, read_body, stale
from moorland.server.state import bundle_of, evaluator, policy_changed
from moorland.server.tasks.running import start
from moorland.server.tasks.views import TaskAnswer, task_answer
from moorland.server.trail.models import record
from moorland.server.viewing.looks import record_look


def stored_model(name: str) -> Model:
    """A model of the draft. Raises Failure (404)."""
    found = Model.objects.filter(name=name).first()
    if found is None:
        raise missing("model", name)
    return found


class Models(APIView):
    """Administrators: a new model without tables."""

    @extend_schema(request=NewModel, responses={201: ModelSave})
    def post(self, request: Request) -> Response:
        asked = read_body(request, NewModel)
        if Model.objects.filter(name=asked.name).exists() or "." in asked.name or "/" in asked.name:
            message = (
                f"There is a model {asked.name} already."
                if "." not in asked.name and "/" not in asked.name
                else "A model's name has neither a point nor a slash."
            )
            raise Failure(422, "invalid", message, [Problem("duplicate", message, path="name")])
        shape = ModelShape(name=asked.name, label=asked.label)
        with transaction.atomic():
            last = Model.objects.order_by("-position").first()
            stored = Model.objects.create(name=shape.name, document=to_plain(shape), position=last.position + 1 if last else 0)
            policy_changed()
            record(request.user.login, "add model", shape.name)
        return answer(ModelSave(document=shape, version=stored.version), 201)


class DraftModel(APIView):
    """Administrators: save or delete a model of the draft. Stale saves are refused; so is what would break a role, a page or a measure, with every place named."""

    @extend_schema(request=ModelSave, responses=ModelSave)
    def put(self, request: Request, model: str) -> Response:
        asked = read_body(request, ModelSave)
        if asked.document.name != model:
            raise Failure(422, "invalid", "A model keeps its name; roles and pages refer to it. Change its label instead.")
        with transaction.atomic():
            stored = stored_model(model)
            if stored.version != asked.version:
                raise stale(f"the model {model}", {"document": stored.document, "version": stored.version})
            document = to_plain(asked.document)
            if document != stored.document:
                before = stored.document
                stored.document, stored.version = document, stored.version + 1
                stored.save()
                _still_evaluates(model)
                _pages_still_fit(model, from_document(ModelShape, before), asked.document)
                policy_changed()
                record(request.user.login, "change model", model, changed=_changed_parts(before, document))
        return answer(ModelSave(document=asked.document, version=stored.version))

    @extend_schema(request=None, responses={204: None}, parameters=[OpenApiParameter("version", int, required=True)])
    def delete(self, request: Request, model: str) -> Response:
        with transaction.atomic():
            stored = stored_model(model)
            if str(stored.version) != request.query_params.get("version"):
                raise stale(f"the model {model}", {"document": stored.document, "version": stored.version})
            stored.delete()
            _still_evaluates(None)
            policy_changed()
            record(request.user.login, "delete model", model)
        return Response(status=204)


def _still_evaluates(model: str | None) -> None:
    """Raises Failure with every place that no longer holds together in the draft."""
    bundle: Bundle | None = None
    try:
        bundle = bundle_of("draft")
        made = Evaluator(bundle, load_table)
        if model is not None:
            made.data(model)
    except BundleError as error:
        problems = [problem.at(named_place(bundle, problem.path)) for problem in error.problems]
        message = problems[0].sentence() if len(problems) == 1 else f"{len(problems)} places would no longer hold together."
        raise Failure(422, "invalid", message, problems) from None


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


def _pages_still_fit(name: str, before: ModelShape, after: ModelShape) -> None:
    """Raises Failure naming every exhibit that would lose a column or measure: it would be unavailable to everybody, without a word."""
    gone = _exhibited(before) - _exhibited(after)
    problems = []
    for page in bundle_of("draft").pages:
        if page.model != name:
            continue
        problems += [
            Problem("in_use", f"the page {page.title} is narrowed by {used}. Take it out there first.", path=f"pages.{page.name}")
            for used in page.filters
            if used in gone
        ]
        for exhibit in page.exhibits:
            columns = [
                column if "." in column else f"{exhibit.table}.{column}"
                for column in [*exhibit.by, *exhibit.columns, *([exhibit.colour] if exhibit.colour else [])]
            ]
            problems += [
                Problem("in_use", f"the page {page.title} shows {used} in “{exhibit.title}”. Take it out there first.", path=f"pages.{page.name}")
                for used in [*columns, *exhibit.measures]
                if used in gone
            ]
    if problems:
        message = problems[0].message if len(problems) == 1 else f"{len(problems)} places on pages still use what would be gone."
        raise Failure(422, "invalid", message[0].upper() + message[1:], problems)


def _exhibited(model: ModelShape) -> set[str]:
    originals = {table.name: table for table in model.tables}
    tables = [(table.name, originals.get(table.alias_of or table.name, table)) for table in model.tables]
    return {f"{name}.{column.name}" for name, table in tables for column in table.columns} | {measure.name for measure in model.measures}


def _changed_parts(before: dict[str, Any], after: dict[str, Any]) -> list[str]:
    """The named parts of a model that differ, for the trail."""
    found = []
    for part in ("tables", "relationships", "hierarchies", "measures", "cubes"):
        old, new = ({item.get("name") or f"{item.get('from')} → {item.get('to')}": item for item in document.get(part, [])} for document in (before, after))
        found += [f"{part}: {name}" for name in dict.fromkeys([*old, *new]) if old.get(name) != new.get(name)]
    return found[:60] or ["notes"]


class Profile(APIView):
    """Administrators: what a table of the draft holds, over all rows, and which sentences touch it."""

    @extend_schema(responses=TableProfile)
    def get(self, request: Request, model: str, table: str) -> Response:
        base = evaluator("draft")
        if model not in base.models or table not in base.models[model].schema.tables:
            raise missing("table", f"{model}.{table}")
        schema, data = base.models[model].schema, base.data(model)
        record_look(request.user, ["all data"], f"columns of {table}", "draft")
        content = TableContent.objects.filter(model=model, table=schema.original(table), state="current").first()
        steps = [step for steps in schema.parents.values() for step in steps if table in (step.many, step.one)]
        return answer(
            TableProfile(
                table=table,
                rows=data.rows(table),
                content=content.content if content else None,
                source=content.source if content else "",
                brought_at=content.created_at.isoformat() if content else None,
                kept=KeptTable.objects.filter(model=model, table=table).exists(),
                columns=[column_profile(data, table, column.name) for column in schema.tables[table].columns],
                relationships=[relationship_health(data, step) for step in steps],
                touches=[
                    SentenceTouch(role=item.role, label=item.label, sentence=item.sentence, kind=item.kind, object=item.object)
                    for item in touches(base, model, table)
                ],
                dependents=dependents(base, model, table),
            )
        )


class MeasureTry(APIView):
    """Administrators: an edited measure or derived column over all data of the draft, checked as it is typed."""

    @extend_schema(request=MeasureRequest, responses=MeasureCheck)
    def post(self, request: Request, model: str) -> Response:
        asked = read_body(request, MeasureRequest)
        base = evaluator("draft")
        if model not in base.models or asked.table not in base.models[model].schema.tables:
            raise missing("table", f"{model}.{asked.table}")
        record_look(request.user, ["all data"], f"{asked.kind}s of {asked.table}", "draft")
        return answer(tried_measure(base, model, asked) if asked.kind == "measure" else tried_column(base, model, asked))


class Imports(APIView):
    """Administrators: bring confirmed tables in. The work runs as a task; all of it is done, or nothing."""

    @extend_schema(request=ImportRequest, responses={202: TaskAnswer})
    def post(self, request: Request) -> Response:
        asked = read_body(request, ImportRequest)
        checked(asked)
        account = request.user
        task = start("import", asked.model, account, lambda progress: bring_in(asked, account, progress))
        return answer(task_answer(task), 202)


class Refreshes(APIView):
    """Administrators: refreshes that wait to be accepted; stage new content for a table."""

    @extend_schema(responses=RefreshesAnswer)
    def get(self, request: Request, model: str) -> Response:
        staged = TableContent.objects.filter(model=model, state="staged").exclude(report={}).select_related("created_by").order_by("created_at")
        return answer(RefreshesAnswer(refreshes=[_staged(content) for content in staged]))


class Refresh(APIView):
    """Administrators: stage new content for a table, as a task; nobody sees it before it is accepted."""

    @extend_schema(request=RefreshRequest, responses={202: TaskAnswer})
    def post(self, request: Request, model: str, table: str) -> Response:
        asked = read_body(request, RefreshRequest)
        stored_model(model)
        if KeptTable.objects.filter(model=model, table=table).exists():
            raise Failure(422, "kept", f"{table} is kept here. Import lines into it from its own screen.")
        account = request.user
        task = start("refresh", f"{model}.{table}", account, lambda progress: stage_refresh(model, table, asked, account, progress))
        return answer(task_answer(task), 202)


class OneRefresh(APIView):
    """Administrators: accept a staged refresh, or throw it away."""

    @extend_schema(request=None, responses={200: RefreshesAnswer})
    def post(self, request: Request, key: int) -> Response:
        content = _waiting(key)
        accept_refresh(content, request.user)
        return answer(RefreshesAnswer(refreshes=[]))

    @extend_schema(request=None, responses={204: None})
    def delete(self, request: Request, key: int) -> Response:
        content = _waiting(key)
        with transaction.atomic():
            record(request.user.login, "drop refresh", f"{content.model}.{content.table}", file=content.source)
            content.delete()
        return Response(status=204)


def _waiting(key: int) -> TableContent:
    content = TableContent.objects.filter(pk=key, state="staged").first()
    if content is None:
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
        },
    )
