"""What viewers may ask: themselves, live, and nothing about what is withheld."""

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.server.errors import answer, missing, read_body
from moorland.server.protection import IsSignedIn
from moorland.server.state import evaluator
from moorland.server.viewing.service import for_viewers_channel, page_as_seen
from moorland.server.viewing.shapes import MyAnswers, MyAskRequest, MyPage, MyPages, MyShelf, PageAnswer


class OwnPages(APIView):
    """Anybody signed in: the shelves and pages they may open."""

    permission_classes = [IsSignedIn]

    @extend_schema(responses=MyPages)
    def get(self, request: Request) -> Response:
        base = evaluator("live")
        viewer = base.viewer(request.user.login)
        shelves = []
        for shelf in base.bundle.shelves:
            pages = [MyPage(name=page.name, label=page.title) for page in base.bundle.pages if page.shelf == shelf.name and base.may_open(viewer, page.name)]
            if pages:
                shelves.append(MyShelf(name=shelf.name, label=shelf.title, pages=pages))
        return answer(MyPages(shelves=shelves))


class OwnPage(APIView):
    """Anybody signed in: a page they may open, as it is for them."""

    permission_classes = [IsSignedIn]

    @extend_schema(responses=PageAnswer)
    def get(self, request: Request, page: str) -> Response:
        base = evaluator("live")
        viewer = base.viewer(request.user.login)
        found = next((item for item in base.bundle.pages if item.name == page), None)
        if found is None or not base.may_open(viewer, page):
            raise missing("page", page)
        return answer(page_as_seen(base, viewer, found, own=True))


class OwnAnswers(APIView):
    """Anybody signed in: answers to their own questions."""

    permission_classes = [IsSignedIn]

    @extend_schema(request=MyAskRequest, responses=MyAnswers)
    def post(self, request: Request) -> Response:
        asked = read_body(request, MyAskRequest)
        base = evaluator("live")
        viewer = base.viewer(request.user.login)
        return answer(MyAnswers(answers=[for_viewers_channel(base.answer(viewer, question)) for question in asked.ask]))
