"""Shelves and pages of the draft: written, saved, deleted. Who opens them is said by pages sentences of roles."""

from typing import Any

from django.db import transaction
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.pages import Exhibit
from moorland.core.bundle.pages import Page as PageShape
from moorland.core.bundle.pages import Shelf as ShelfShape
from moorland.core.bundle.problems import Problem, nearest_name
from moorland.core.bundle.writing import to_plain
from moorland.core.engine.evaluator import Evaluator
from moorland.core.language.checking import Scope, check_condition
from moorland.core.language.errors import ConditionError
from moorland.server.directory.service import openers_of
from moorland.server.errors import Failure, answer, from_document, missing, read_body, stale
from moorland.server.pages.models import Page, Shelf
from moorland.server.state import evaluator, policy_changed
from moorland.server.trail.models import record
from moorland.server.viewing.page_shapes import PageEntry, PageSave, ShelfSave

VERSION = OpenApiParameter("version", int, required=True)


class OnePage(APIView):
    """Administrators: make, save or delete a page of the draft; stale saves are refused."""

    @extend_schema(request=PageSave, responses=PageEntry)
    def put(self, request: Request, page: str) -> Response:
        asked = read_body(request, PageSave)
        with transaction.atomic():
            stored = Page.objects.filter(name=page).first()
            if asked.version is None:
                if stored is not None or asked.page.name != page:
                    raise _taken("page", page)
                last = Page.objects.order_by("-position").first()
                stored = Page(name=page, document={}, version=0, position=last.position + 1 if last else 0)
            elif stored is None:
                raise missing("page", page)
            elif stored.version != asked.version:
                raise stale(f"the page {page}", {"page": stored.document, "version": stored.version})
            elif asked.page.name != page:
                raise Failure(422, "invalid", "A page keeps its name; roles refer to it. Change its label instead.")
            refuse_unfit(evaluator("draft"), asked.page)
            document = to_plain(asked.page)
            if document != stored.document:
                added = stored.version == 0
                stored.document, stored.version = document, stored.version + 1
                stored.save()
                policy_changed()
                record(request.user.login, "add page" if added else "change page", page)
        return answer(PageEntry(page=asked.page, version=stored.version, openers=openers_of(evaluator("draft")).get(page, [])))

    @extend_schema(request=None, responses={204: None}, parameters=[VERSION])
    def delete(self, request: Request, page: str) -> Response:
        with transaction.atomic():
            stored = Page.objects.filter(name=page).first()
            if stored is None:
                raise missing("page", page)
            if str(stored.version) != request.query_params.get("version"):
                raise stale(f"the page {page}", {"page": stored.document, "version": stored.version})
            _refuse_if_named("page", page)
            stored.delete()
            policy_changed()
            record(request.user.login, "delete page", page)
        return Response(status=204)


class OneShelf(APIView):
    """Administrators: make, save or delete a shelf of the draft; one with pages is not deleted."""

    @extend_schema(request=ShelfSave, responses=ShelfSave)
    def put(self, request: Request, shelf: str) -> Response:
        asked = read_body(request, ShelfSave)
        with transaction.atomic():
            stored = Shelf.objects.filter(name=shelf).first()
            if asked.shelf.name != shelf:
                raise Failure(422, "invalid", "A shelf keeps its name; pages and roles refer to it. Change its label instead.")
            if (stored is None) != asked.new:
                raise _taken("shelf", shelf) if stored else missing("shelf", shelf)
            if stored is None:
                last = Shelf.objects.order_by("-position").first()
                stored = Shelf(name=shelf, position=last.position + 1 if last else 0)
            stored.document = to_plain(asked.shelf)
            stored.save()
            policy_changed()
            record(request.user.login, "change shelf", shelf)
        return answer(ShelfSave(shelf=from_document(ShelfShape, stored.document)))

    @extend_schema(request=None, responses={204: None})
    def delete(self, request: Request, shelf: str) -> Response:
        with transaction.atomic():
            stored = Shelf.objects.filter(name=shelf).first()
            if stored is None:
                raise missing("shelf", shelf)
            held = [page.name for page in Page.objects.all() if page.document["shelf"] == shelf]
            if held:
                raise Failure(
                    409,
                    "in_use",
                    "The shelf holds 1 page. Move or delete it first." if len(held) == 1 else f"The shelf holds {len(held)} pages. Move or delete them first.",
                )
            _refuse_if_named("shelf", shelf)
            stored.delete()
            policy_changed()
            record(request.user.login, "delete shelf", shelf)
        return Response(status=204)


def _taken(what: str, name: str) -> Failure:
    message = f"There is a {what} {name} already."
    return Failure(422, "invalid", message, [Problem("duplicate", message, path="name")])


def _refuse_if_named(kind: str, name: str) -> None:
    """Raises Failure naming every role whose sentences name the page or shelf: without it they would say something else."""
    target = f"{kind}:{name}"
    roles = [role.title for role in evaluator("draft").bundle.roles if any(item.pages and target in (item.pages.on or []) for item in role.sentences)]
    if roles:
        problems = [Problem("in_use", f"{role} names it in a pages sentence.", path=role) for role in roles]
        raise Failure(409, "in_use", f"Pages sentences of {', '.join(roles)} name it. Take it out there first.", problems)


def refuse_unfit(base: Evaluator, page: PageShape) -> None:
    """Raises Failure naming everything on a page that is not in its model, so that no exhibit is unavailable to everybody."""
    problems = list(page_problems(base, page))
    if problems:
        message = problems[0].message if len(problems) == 1 else f"{len(problems)} things on the page are wrong."
        raise Failure(422, "invalid", message[0].upper() + message[1:], problems)


def page_problems(base: Evaluator, page: PageShape) -> list[Problem]:
    """Everything on a page that does not fit, with its place inside the page."""
    found = []
    shelves = [shelf.name for shelf in base.bundle.shelves]
    if page.shelf not in shelves:
        found.append(Problem("unknown_name", f"there is no shelf {page.shelf}.", path="shelf", nearest=nearest_name(page.shelf, shelves)))
    if page.model is not None and page.model not in base.models:
        found.append(Problem("unknown_name", f"there is no model {page.model}.", path="model", nearest=nearest_name(page.model, base.models)))
    if page.exhibits and page.model is None:
        found.append(Problem("no_model", "choose the model the exhibits ask first.", path="model"))
    if page.model not in base.models:
        return found
    for name in page.filters:
        found += _unknown_column(base, page.model or "", name, "filters")
    for index, exhibit in enumerate(page.exhibits):
        found += exhibit_problems(base, page.model or "", exhibit, f"exhibits[{index}]")
    return found


def exhibit_problems(base: Evaluator, model: str, exhibit: Exhibit, at: str) -> list[Problem]:
    """What is wrong with one exhibit: names, what its kind needs, reachability, its filter."""
    compiled = base.models[model]
    schema = compiled.schema
    found: list[Problem] = []
    titled = f"“{exhibit.title}”"
    names = [*exhibit.by, *([exhibit.colour] if exhibit.colour else []), *(_qualified(exhibit, name) for name in exhibit.columns)]
    for name in names:
        found += _unknown_column(base, model, name, at)
    found += [
        Problem("unknown_name", f"{titled}: there is no measure {name}.", path=at, nearest=nearest_name(name, compiled.measures))
        for name in exhibit.measures
        if name not in compiled.measures
    ]
    if exhibit.kind == "list":
        if exhibit.table not in schema.tables:
            found.append(Problem("unknown_name", f"{titled}: choose the table whose rows it lists.", path=at))
        tables = [exhibit.table] if exhibit.table in schema.tables else []
    else:
        if not exhibit.measures:
            found.append(Problem("no_measure", f"{titled}: choose at least one measure.", path=at))
        least = {"figure": 0, "bar": 1, "line": 1, "two_way": 2}[exhibit.kind]
        if len(exhibit.by) < least:
            found.append(Problem("no_column", f"{titled}: choose {'two columns' if least == 2 else 'a column'} to set it out by.", path=at))
        tables = sorted({compiled.measures[name].table for name in exhibit.measures if name in compiled.measures})
    for table in tables:
        for name in [*names, *exhibit.order]:
            owner = _qualified(exhibit, name.removeprefix("-")).partition(".")[0]
            if owner in schema.tables and not schema.reaches(table or "", owner):
                found.append(Problem("unreachable", f"{titled}: {table} does not reach {owner}.", path=at))
    if exhibit.where is not None and tables:
        anywhere = exhibit.kind != "list"
        scope = Scope(schema=schema, table=None if anywhere else exhibit.table, attributes=base.people.definitions, anywhere=anywhere)
        try:
            check_condition(exhibit.where, scope)
        except ConditionError as error:
            found.append(error.problem(f"{at}.where"))
    return found


def _qualified(exhibit: Exhibit, name: str) -> str:
    return name if "." in name or not exhibit.table else f"{exhibit.table}.{name}"


def _unknown_column(base: Evaluator, model: str, name: str, at: str) -> list[Problem]:
    columns = base.models[model].schema.columns
    owner, _, column = name.partition(".")
    if (owner, column) in columns:
        return []
    known: Any = [f"{table}.{item}" for table, item in columns]
    return [Problem("unknown_name", f"there is no column {name}.", path=at, nearest=nearest_name(name, known))]
