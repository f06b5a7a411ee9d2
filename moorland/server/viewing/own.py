"""What viewers may ask: themselves, live, and nothing about what is withheld."""

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import RowsAnswer
from moorland.core.people import Viewer
from moorland.server.access.standing_in import asking_login, reaches, refuse_model
from moorland.server.duties.permission import SIGNED_IN
from moorland.server.errors import answer, missing, read_body
from moorland.server.evaluating import evaluator
from moorland.server.pages.models import ReaderPage
from moorland.server.pages.readers import as_shown_to, existing_for, made_by, published_for, reader_page
from moorland.server.requests import account_of
from moorland.server.trail.models import record
from moorland.server.viewing.building_shapes import OwnModels
from moorland.server.viewing.exporting import file_response
from moorland.server.viewing.kept_answers import keep_answer, kept_answer
from moorland.server.viewing.own_models import own_model, with_samples
from moorland.server.viewing.page_looks import LookedAt, as_on_the_page, exported_exhibit, page_as_seen, rows_beneath
from moorland.server.viewing.page_shapes import BeneathRequest, ExportRequest, MyLook, MyOwnPage, MyPage, MyPages, MyShelf, PageAnswer
from moorland.server.viewing.role_use import note_page, note_questions
from moorland.server.viewing.service import for_viewers_channel
from moorland.server.viewing.shapes import MyAnswers, MyAskRequest


def own_page(request: Request, name: str) -> tuple[Evaluator, Viewer, LookedAt]:
    """A page the caller may open, released or a reader's. Raises Failure (404), in the same words for one that is not there and one that is closed."""
    base = evaluator("live")
    viewer = base.viewer(asking_login(request))
    found = _looked_at(base, viewer, name)
    if found is None:
        raise missing("page", name)
    refuse_model(request, found.page.model)
    return base, viewer, found


def _looked_at(base: Evaluator, viewer: Viewer, name: str) -> LookedAt | None:
    """A page as the viewer may open it; None where it does not exist for them."""
    written = reader_page(name)
    if written is not None:
        shown = as_shown_to(base, viewer, written)
        return LookedAt(shown, "viewer" if made_by(written, viewer.login) else "reader", written.version) if shown is not None else None
    released = next((item for item in base.bundle.pages if item.name == name), None)
    return LookedAt(released) if released is not None and base.may_open(viewer, name) else None


class OwnPages(APIView):
    """Anybody signed in: the shelves and pages they may open."""

    needs = {"GET": SIGNED_IN}
    stands_in = True

    @extend_schema(responses=MyPages)
    def get(self, request: Request) -> Response:
        base = evaluator("live")
        viewer = base.viewer(asking_login(request))
        shelves, others = [], list(published_for(base, viewer))
        for shelf in base.bundle.shelves:
            pages = [
                MyPage(name=page.name, label=page.title)
                for page in base.bundle.pages
                if page.shelf == shelf.name and base.may_open(viewer, page.name) and reaches(request, page.model)
            ]
            pages += [
                MyPage(name=page.name, label=page.title, by=written.maker.name or written.maker.login if written.maker else "a reader")
                for written, page in others
                if page.shelf == shelf.name and reaches(request, page.model)
            ]
            if pages:
                shelves.append(MyShelf(name=shelf.name, label=shelf.title, pages=pages))
        titles = {shelf.name: shelf.title for shelf in base.bundle.shelves}
        own = [
            MyOwnPage(
                name=written.name,
                label=page.title,
                shelf=titles.get(written.shelf, written.shelf),
                published=written.published is not None,
                changed=written.published is not None and written.published != written.document,
            )
            for written in ReaderPage.objects.select_related("maker").filter(maker__login=viewer.login)
            if (page := as_shown_to(base, viewer, written)) is not None and reaches(request, page.model)
        ]
        create = [MyPage(name=name, label=title) for name, title in titles.items() if base.may_create(viewer, name)]
        return answer(MyPages(shelves=shelves, own=own, create=create))


class OwnPage(APIView):
    """Anybody signed in: a page they may open, as it is for them; with a body, narrowed by filters."""

    needs = {"GET": SIGNED_IN, "POST": SIGNED_IN}
    stands_in = True

    @extend_schema(responses=PageAnswer)
    def get(self, request: Request, page: str) -> HttpResponse:
        return _page(request, page, MyLook())

    @extend_schema(request=MyLook, responses=PageAnswer)
    def post(self, request: Request, page: str) -> HttpResponse:
        return _page(request, page, read_body(request, MyLook))


def _page(request: Request, name: str, asked: MyLook) -> HttpResponse:
    """The page as it is for the caller, as kept where it was worked out before: then it could be opened."""
    login, written = asking_login(request), asked.model_dump_json()
    made = kept_answer(evaluator("live"), login, (name, 0, written)) if request.auth is None else None
    if made is None:
        base, viewer, page = own_page(request, name)
        # Whether a reader's page may be opened, and which version of it, is looked at every time.
        key = (name, page.version, written)
        made = kept_answer(base, login, key) if page.version and request.auth is None else None
        if made is None:
            note_page(base, viewer, page.page)
            made = keep_answer(base, login, key, page_as_seen(base, viewer, page, as_on_the_page(base, viewer, page, asked).filters, own=True))
    return HttpResponse(made, content_type="application/json")


class OwnBeneath(APIView):
    """Anybody signed in: the rows under a number of a page they may open, as far as their roles list rows."""

    needs = {"POST": SIGNED_IN}
    stands_in = True

    @extend_schema(request=BeneathRequest, responses=RowsAnswer)
    def post(self, request: Request, page: str) -> Response:
        asked = read_body(request, BeneathRequest)
        base, viewer, found = own_page(request, page)
        return answer(rows_beneath(base, viewer, found, as_on_the_page(base, viewer, found, asked), own=True))


class OwnExport(APIView):
    """Anybody signed in: an exhibit, or rows beneath it, as a file, as far as their roles let it be exported."""

    needs = {"POST": SIGNED_IN}
    stands_in = True

    @extend_schema(request=ExportRequest, responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def post(self, request: Request, page: str) -> HttpResponse:
        asked = read_body(request, ExportRequest)
        base, viewer, found = own_page(request, page)
        rows = exported_exhibit(base, viewer, found, as_on_the_page(base, viewer, found, asked))
        stood_for = {"as": asking_login(request)} if viewer.login != account_of(request).login else {}
        record(account_of(request).login, "export", f"page {page}", **stood_for, exhibit=asked.exhibit + 1, rows=len(rows) - 1, format=asked.format)
        return file_response(page, asked.format, rows)


class OwnAnswers(APIView):
    """Anybody signed in: answers to their own questions."""

    needs = {"POST": SIGNED_IN}
    stands_in = True

    @extend_schema(request=MyAskRequest, responses=MyAnswers)
    def post(self, request: Request) -> Response:
        asked = read_body(request, MyAskRequest)
        base = evaluator("live")
        viewer = base.viewer(asking_login(request))
        for question in asked.ask:
            refuse_model(request, getattr(question.asked, "model", None))
        note_questions(base, viewer, asked.ask)
        return answer(MyAnswers(answers=[for_viewers_channel(base.answer(viewer, question)) for question in asked.ask]))


class OwnVocabulary(APIView):
    """Anybody signed in, and programs in their name: what exists for them, what it is called, and some values they are shown."""

    needs = {"GET": SIGNED_IN}
    stands_in = True

    @extend_schema(responses=OwnModels)
    def get(self, request: Request) -> Response:
        base = evaluator("live")
        viewer = base.viewer(asking_login(request))
        existing = {name: objects for name, objects in existing_for(base, viewer).items() if reaches(request, name)}
        return answer(OwnModels(models=[with_samples(base, viewer, own_model(base, name, objects)) for name, objects in existing.items()]))
