"""Readers who build: pages of one's own, made from what exists for oneself, beside releases (accounts.md 14, semantics.md 10.4)."""

from typing import Any

from django.utils import timezone
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.pages import Page
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.naming import filter_scope
from moorland.core.engine.objects import Objects
from moorland.core.insight.exhibits import exhibit_problems
from moorland.core.language.checking import check_condition
from moorland.core.language.clauses import grouped_clauses
from moorland.core.language.errors import ConditionError
from moorland.core.language.tokens import has_comment
from moorland.core.people import Viewer
from moorland.server.changes import expect_version, recorded
from moorland.server.duties.permission import OWN_SESSION
from moorland.server.duties.rights import outside
from moorland.server.errors import Failure, answer, from_document, missing, problem_shape, read_body
from moorland.server.evaluating import evaluator
from moorland.server.pages.models import ReaderPage
from moorland.server.pages.readers import (
    MOST_PAGES,
    as_page,
    as_shown_to,
    copied,
    document_of,
    existing_for,
    generated_name,
    keep_version,
    made_by,
    reader_page,
    refuse_unbuilt,
    told,
)
from moorland.server.pages.shapes import ReaderPageText
from moorland.server.requests import VERSION, account_of, version_of
from moorland.server.viewing.building_shapes import (
    OwnCheckRequest,
    OwnExhibitTried,
    OwnExhibitTry,
    OwnModels,
    OwnPageMade,
    OwnPageMaking,
    OwnPagePublishing,
    OwnPageSave,
    OwnPageVersion,
    OwnPageVersions,
    OwnPageWriting,
)
from moorland.server.viewing.knowing import own_values
from moorland.server.viewing.own_models import own_model
from moorland.server.viewing.page_looks import one_exhibit
from moorland.server.viewing.shapes import CheckAnswer, ValuesAnswer


class OwnBuildingBlocks(APIView):
    """Anybody signed in, at a screen: what exists for them in each model, to build pages from and to browse."""

    needs = {"GET": OWN_SESSION}

    @extend_schema(responses=OwnModels)
    def get(self, request: Request) -> Response:
        base, viewer = _asking(request)
        return answer(OwnModels(models=[own_model(base, name, objects) for name, objects in existing_for(base, viewer).items()]))


class OwnPageMakings(APIView):
    """Anybody signed in, at a screen, whose roles let them make pages on a shelf: a new page, or a copy of one they may open."""

    needs = {"POST": OWN_SESSION}

    @extend_schema(request=OwnPageMaking, responses={201: OwnPageMade})
    def post(self, request: Request) -> Response:
        asked, (base, viewer), account = read_body(request, OwnPageMaking), _asking(request), account_of(request)
        _refuse_making(base, viewer, asked.shelf)
        text, left_out = ReaderPageText(label=asked.label), list[str]()
        if asked.copy_of is not None:
            text, left_out = copied(base, viewer, _openable(base, viewer, asked.copy_of))
            text = text.model_copy(update={"label": asked.label})
        with recorded(account, "make page", asked.label) as change:
            if ReaderPage.objects.filter(maker=account).count() >= MOST_PAGES:
                raise Failure(422, "too_many", f"You have {MOST_PAGES} pages of your own. Delete some first.")
            made = ReaderPage.objects.create(name=generated_name(), maker=account, shelf=asked.shelf, document=document_of(text))
            keep_version(made, account.login)
            change.subject, change.after = f"page {made.name}", told(made)
        return answer(OwnPageMade(name=made.name, left_out=left_out), 201)


class OwnPageWritings(APIView):
    """Whoever made a page, at a screen: its text, read by them alone; saved, where their roles let them edit; deleted."""

    needs = {"GET": OWN_SESSION, "PUT": OWN_SESSION, "DELETE": OWN_SESSION}

    @extend_schema(responses=OwnPageWriting)
    def get(self, request: Request, page: str) -> Response:
        return answer(_writing(*_own(request, page)))

    @extend_schema(request=OwnPageSave, responses=OwnPageWriting)
    def put(self, request: Request, page: str) -> Response:
        asked = read_body(request, OwnPageSave)
        with recorded(account_of(request), "change page", f"page {page}") as change:
            base, viewer, stored = _own(request, page)
            _refuse_not_allowed(base, viewer, stored, "edit", "Your roles do not let you change pages on this shelf.")
            _expect(stored, asked.version)
            document = document_of(asked.text)
            refuse_unbuilt(base, viewer, as_page(stored, document))
            change.before = told(stored)
            if document == stored.document:
                change.nothing()
            else:
                stored.document = document
                stored.moved()
                keep_version(stored, account_of(request).login)
                change.after = told(stored)
        return answer(_writing(base, viewer, stored))

    @extend_schema(request=None, responses={204: None}, parameters=[VERSION])
    def delete(self, request: Request, page: str) -> Response:
        with recorded(account_of(request), "delete page", f"page {page}") as change:
            _, _, stored = _own(request, page)
            _expect(stored, version_of(request))
            change.before = told(stored)
            stored.delete()
        return Response(status=204)


class OwnPagePublishings(APIView):
    """Whoever made a page, at a screen: puts it on its shelf, where their roles let them publish; takes it back, always."""

    needs = {"POST": OWN_SESSION}

    @extend_schema(request=OwnPagePublishing, responses=OwnPageWriting)
    def post(self, request: Request, page: str) -> Response:
        asked = read_body(request, OwnPagePublishing)
        with recorded(account_of(request), "publish page" if asked.published else "take page back", f"page {page}") as change:
            base, viewer, stored = _own(request, page)
            _expect(stored, asked.version)
            change.before = told(stored)
            if asked.published:
                _refuse_not_allowed(base, viewer, stored, "publish", "Your roles do not let you publish pages on this shelf.")
                refuse_unbuilt(base, viewer, as_page(stored, stored.document))
                if not stored.document.get("exhibits"):
                    raise Failure(422, "invalid", "There is nothing on the page yet.")
            stored.published = stored.document if asked.published else None
            stored.published_at = timezone.now() if asked.published else None
            stored.moved()
            keep_version(stored, account_of(request).login)
            change.after = told(stored)
        return answer(_writing(base, viewer, stored))


class OwnPageHistory(APIView):
    """Whoever made a page, at a screen: what it said before, newest first."""

    needs = {"GET": OWN_SESSION}

    @extend_schema(responses=OwnPageVersions)
    def get(self, request: Request, page: str) -> Response:
        _, _, stored = _own(request, page)
        kept = [
            OwnPageVersion(version=item.number, saved_at=item.saved_at, saved_by=item.saved_by, text=from_document(ReaderPageText, item.document))
            for item in stored.versions.all()
        ]
        return answer(OwnPageVersions(versions=kept))


class OwnExhibitTries(APIView):
    """Anybody signed in, at a screen: an exhibit that is being written, built from what exists for them, as they see it."""

    needs = {"POST": OWN_SESSION}

    @extend_schema(request=OwnExhibitTry, responses=OwnExhibitTried)
    def post(self, request: Request) -> Response:
        asked, (base, viewer) = read_body(request, OwnExhibitTry), _asking(request)
        objects = _objects(base, viewer, asked.model)
        problems = list(exhibit_problems(base, asked.model, asked.exhibit, "exhibit", objects))
        if problems:
            raise Failure(422, "invalid", problems[0].message, problems)
        tried, labels = one_exhibit(base, viewer, asked.model, asked.exhibit, own=True)
        return answer(OwnExhibitTried(answer=tried, measures=labels))


class OwnChecks(APIView):
    """Anybody signed in, at a screen: whether a filter over what exists for them can be used, checked as it is typed."""

    needs = {"POST": OWN_SESSION}

    @extend_schema(request=OwnCheckRequest, responses=CheckAnswer)
    def post(self, request: Request) -> Response:
        asked, (base, viewer) = read_body(request, OwnCheckRequest), _asking(request)
        objects = _objects(base, viewer, asked.model)
        if asked.table is not None and asked.table not in objects.tables:
            raise missing("table", asked.table)
        try:
            checked = check_condition(asked.where, filter_scope(base.models[asked.model].schema, asked.table, objects.columns, base.people.definitions))
        except ConditionError as error:
            return answer(CheckAnswer(valid=False, problem=problem_shape(error.problem()), group=None))
        group = None if has_comment(asked.where) else grouped_clauses(checked, asked.where)
        return answer(CheckAnswer(valid=True, problem=None, group=group))


class OwnValues(APIView):
    """Anybody signed in, at a screen: the values of a column that they are shown in clear."""

    needs = {"GET": OWN_SESSION}

    @extend_schema(responses=ValuesAnswer, parameters=[OpenApiParameter("search", str)])
    def get(self, request: Request, model: str, table: str, column: str) -> Response:
        base, viewer = _asking(request)
        if (table, column) not in _objects(base, viewer, model).columns:
            raise missing("column", f"{table}.{column}")
        return answer(own_values(account_of(request), model, table, column, request.query_params.get("search", "")[:200]))


def _asking(request: Request) -> tuple[Evaluator, Viewer]:
    base = evaluator("live")
    return base, base.viewer(account_of(request).login)


def _objects(base: Evaluator, viewer: Viewer, model: str) -> Objects:
    """What exists of a model for somebody. Raises Failure (404)."""
    found = existing_for(base, viewer).get(model)
    if found is None:
        raise missing("model", model)
    return found


def _own(request: Request, name: str) -> tuple[Evaluator, Viewer, ReaderPage]:
    """A page the caller made. Raises Failure (404), for one of somebody else too."""
    base, viewer = _asking(request)
    stored = reader_page(name)
    if stored is None or not made_by(stored, viewer.login) or as_shown_to(base, viewer, stored) is None:
        raise missing("page", name)
    return base, viewer, stored


def _openable(base: Evaluator, viewer: Viewer, name: str) -> Page:
    """Any page the caller may open, as they are shown it. Raises Failure (404)."""
    stored = reader_page(name)
    if stored is not None:
        found = as_shown_to(base, viewer, stored)
    else:
        found = next((item for item in base.bundle.pages if item.name == name and base.may_open(viewer, name)), None)
    if found is None:
        raise missing("page", name)
    return found


def _refuse_making(base: Evaluator, viewer: Viewer, shelf: str) -> None:
    """Raises Failure (404) where no page may be made on a shelf: a shelf that is not there and one that is closed say the same."""
    if not base.may_create(viewer, shelf):
        raise missing("shelf", shelf)


def _refuse_not_allowed(base: Evaluator, viewer: Viewer, stored: ReaderPage, action: Any, message: str) -> None:
    if not base.may(viewer, action, as_page(stored, stored.document), own=True):
        raise outside(message)


def _expect(stored: ReaderPage, version: int | None) -> None:
    expect_version(stored, version, "this page", lambda: {"text": stored.document, "version": stored.version})


def _writing(base: Evaluator, viewer: Viewer, stored: ReaderPage) -> OwnPageWriting:
    """A page as its maker reads it."""
    page = as_page(stored, stored.document)
    titles = {shelf.name: shelf.title for shelf in base.bundle.shelves}
    return OwnPageWriting(
        name=stored.name,
        text=from_document(ReaderPageText, stored.document),
        shelf=stored.shelf,
        shelf_label=titles.get(stored.shelf, stored.shelf),
        version=stored.version,
        published_at=stored.published_at,
        changed=stored.published is not None and stored.published != stored.document,
        may_edit=base.may(viewer, "edit", page, own=True),
        may_publish=base.may(viewer, "publish", page, own=True),
    )
