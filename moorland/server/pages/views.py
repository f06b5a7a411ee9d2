"""Shelves and pages of the draft: written, saved, deleted. Who opens them is said by pages sentences of roles."""

from typing import Any, TypeVar

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.pages import Page as PageShape
from moorland.core.bundle.problems import Problem
from moorland.core.bundle.writing import to_plain
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.exhibits import page_problems
from moorland.server.changes import Change, expect_version, recorded
from moorland.server.directory.service import openers_of
from moorland.server.documents import VersionedDocument
from moorland.server.duties.permission import request_rights, within
from moorland.server.duties.rights import outside
from moorland.server.errors import Failure, answer, missing, read_body
from moorland.server.evaluating import evaluator
from moorland.server.pages.models import Page, Shelf
from moorland.server.pages.shapes import PageEntry, PageSave, ShelfSave
from moorland.server.requests import VERSION, account_of, version_of

Stored = TypeVar("Stored", bound=VersionedDocument)


class OnePage(APIView):
    """By duty: make, save or delete a page of the draft; stale saves are refused."""

    needs = {"PUT": within("pages"), "DELETE": within("pages")}

    @extend_schema(request=PageSave, responses=PageEntry)
    def put(self, request: Request, page: str) -> Response:
        asked = read_body(request, PageSave)
        if asked.page.name != page:
            raise Failure(422, "invalid", "A page keeps its name; roles refer to it. Change its label instead.")
        _refuse_shelf(request, asked.page.shelf)
        with recorded(account_of(request), "change page", page, "policy") as change:
            stored = _stored(Page, "page", page, asked.version)
            if stored is not None:
                _refuse_shelf(request, stored.document["shelf"])
            refuse_unfit(evaluator("draft"), asked.page)
            document = to_plain(asked.page)
            if stored is None:
                change.action, change.after = "add page", document
                version = Page.appended(page, document).version
            else:
                version = _rewritten(stored, document, change)
        return answer(PageEntry(page=asked.page, version=version, openers=openers_of(evaluator("draft")).get(page, [])))

    @extend_schema(request=None, responses={204: None}, parameters=[VERSION])
    def delete(self, request: Request, page: str) -> Response:
        with recorded(account_of(request), "delete page", page, "policy") as change:
            stored = _there(Page, "page", page, version_of(request))
            _refuse_shelf(request, stored.document["shelf"])
            _refuse_if_named("page", page)
            change.before = stored.document
            stored.delete()
        return Response(status=204)


class OneShelf(APIView):
    """By duty: make, save or delete a shelf of the draft; stale saves are refused, and one with pages is not deleted."""

    needs = {"PUT": within("pages"), "DELETE": within("pages")}

    @extend_schema(request=ShelfSave, responses=ShelfSave)
    def put(self, request: Request, shelf: str) -> Response:
        asked = read_body(request, ShelfSave)
        if asked.shelf.name != shelf:
            raise Failure(422, "invalid", "A shelf keeps its name; pages and roles refer to it. Change its label instead.")
        _refuse_shelf(request, shelf)
        with recorded(account_of(request), "change shelf", shelf, "policy") as change:
            stored = _stored(Shelf, "shelf", shelf, asked.version)
            document = to_plain(asked.shelf)
            if stored is None:
                change.action, change.after = "add shelf", document
                version = Shelf.appended(shelf, document).version
            else:
                version = _rewritten(stored, document, change)
        return answer(ShelfSave(shelf=asked.shelf, version=version))

    @extend_schema(request=None, responses={204: None}, parameters=[VERSION])
    def delete(self, request: Request, shelf: str) -> Response:
        with recorded(account_of(request), "delete shelf", shelf, "policy") as change:
            _refuse_shelf(request, shelf)
            stored = _there(Shelf, "shelf", shelf, version_of(request))
            held = [page.name for page in Page.objects.all() if page.document["shelf"] == shelf]
            if held:
                many = f"The shelf holds {len(held)} pages. Move or delete them first."
                raise Failure(409, "in_use", "The shelf holds 1 page. Move or delete it first." if len(held) == 1 else many)
            _refuse_if_named("shelf", shelf)
            change.before = stored.document
            stored.delete()
        return Response(status=204)


def _refuse_shelf(request: Request, shelf: str) -> None:
    """Raises Failure (403) where a shelf is not in the scope of a duty to write pages."""
    if not request_rights(request).reaches("pages", shelf=shelf):
        raise outside("This shelf is not in the scope of your duties over pages.")


def _stored(kind: type[Stored], what: str, name: str, version: int | None) -> Stored | None:
    """The page or shelf to save over; None for a new one. Raises Failure where it is there already, gone, or was saved meanwhile."""
    stored = kind._default_manager.filter(name=name).first()
    if version is None and stored is not None:
        message = f"There is a {what} {name} already."
        raise Failure(422, "invalid", message, [Problem("duplicate", message, path="name")])
    return None if version is None else _there(kind, what, name, version)


def _there(kind: type[Stored], what: str, name: str, version: int | None) -> Stored:
    stored = kind._default_manager.filter(name=name).first()
    if stored is None:
        raise missing(what, name)
    expect_version(stored, version, f"the {what} {name}", lambda: {what: stored.document, "version": stored.version})
    return stored


def _rewritten(stored: VersionedDocument, document: dict[str, Any], change: Change) -> int:
    """Saves another document of a page or shelf, unless it is the same."""
    change.before, change.after = stored.document, document
    if document == stored.document:
        change.nothing()
    else:
        stored.rewritten(document)
    return stored.version


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
