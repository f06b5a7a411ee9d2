"""Shelves and pages of the draft: written, saved, deleted. Who opens them is said by pages sentences of roles."""

from django.db import transaction
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.pages import Page as PageShape
from moorland.core.bundle.pages import Shelf as ShelfShape
from moorland.core.bundle.problems import Problem
from moorland.core.bundle.writing import to_plain
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.exhibits import page_problems
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
