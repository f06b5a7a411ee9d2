"""Embedded pages: the frame a token is posted to, and what it shows (channels.md 15.2, 15.3)."""

from pathlib import Path
from typing import Any

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.utils.html import escape
from django.views.decorators.clickjacking import xframe_options_exempt
from django.views.decorators.csrf import csrf_exempt
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import RowsAnswer
from moorland.core.people import Viewer
from moorland.server.duties.permission import OUTSIDE
from moorland.server.errors import answer, missing, read_body
from moorland.server.evaluating import evaluator
from moorland.server.outside.claims import NotVouched, exchanged, issuer_of, text_of, viewer_of
from moorland.server.outside.tickets import Ticket, TicketSignIn, ticket_for
from moorland.server.trail.floods import record_refusal
from moorland.server.trail.models import record
from moorland.server.viewing.exporting import file_response
from moorland.server.viewing.page_looks import LookedAt, as_on_the_page, exported_exhibit, page_as_seen, rows_beneath
from moorland.server.viewing.page_shapes import BeneathRequest, ExportRequest, MyLook, PageAnswer

POLICY = (
    "default-src 'self'; script-src 'self'; object-src 'none'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; base-uri 'self';"
    " form-action 'none'; frame-ancestors {}"
)


@csrf_exempt
@xframe_options_exempt
def embedded(request: HttpRequest, page: str) -> HttpResponse:
    """Whoever an issuer vouches for: a page in a frame of the issuer's. The token is posted once; a cookie is neither read nor set."""
    if request.method != "POST":
        return _frame({"refused": "This page is shown inside another application, which posts a token to it."}, "'none'", 405)
    token, address = str(request.POST.get("token", "")), str(request.META.get("REMOTE_ADDR", ""))
    try:
        vouched = exchanged(token)
        text = text_of(vouched.issuer)
        base = evaluator("live")
        viewer = viewer_of(base, text, vouched.claims)
        opened_page(base, text.pages, viewer, page)
    except NotVouched as wrong:
        issuer = wrong.issuer or _named(token)
        record_refusal(f"issuer {issuer.name}" if issuer else "nobody", "outside viewer refused", f"page {page}: {wrong.message}"[:400], address)
        return _frame({"refused": "This page cannot be shown to you."}, _ancestors(text_of(issuer).origins) if issuer else "'none'", 403)
    record(f"{text.name}:{vouched.claims.sub}", "come in", f"page {page}", issuer=text.name, address=address)
    return _frame({"ticket": ticket_for(vouched, page), "until": str(vouched.until)}, _ancestors(text.origins), 200)


def _named(token: str) -> Any:
    """The issuer a token names, whether or not it is of it: its application may show that it was refused."""
    try:
        return issuer_of(token)
    except NotVouched:
        return None


def _ancestors(origins: list[str]) -> str:
    return " ".join(origins)


def _frame(said: dict[str, str], ancestors: str, status: int) -> HttpResponse:
    """The application in a frame, with what it needs to begin."""
    index = Path(settings.WHITENOISE_ROOT) / "index.html"
    written = index.read_text("utf-8") if index.is_file() else "<!doctype html><html><head></head><body>The interface is not built yet.</body></html>"
    marks = "".join(f'<meta name="moorland-{name}" content="{escape(value)}">' for name, value in said.items())
    response = HttpResponse(written.replace("</head>", f"{marks}</head>", 1), status=status, content_type="text/html; charset=utf-8")
    response["Content-Security-Policy"] = POLICY.format(ancestors)
    response["Cache-Control"] = "no-store"
    response["Referrer-Policy"] = "no-referrer"
    return response


def opened_page(base: Evaluator, allowed: list[str], viewer: Viewer, name: str) -> LookedAt:
    """A released page an outside viewer may open. Raises NotVouched, for one that is not there as for one that is closed."""
    found = next((item for item in base.bundle.pages if item.name == name), None)
    if name not in allowed or found is None or not base.may_open(viewer, name):
        raise NotVouched("the page is not theirs to open")
    return LookedAt(found)


class _Framed(APIView):
    """What frames ask; sessions and tokens of accounts are not looked at."""

    authentication_classes = [TicketSignIn]

    def looked_at(self, request: Request, page: str) -> tuple[Evaluator, Viewer, LookedAt]:
        """The page of the ticket, as it is now for whom it was given. Raises Failure (404)."""
        ticket, base = request.auth, evaluator("live")
        assert isinstance(ticket, Ticket)
        try:
            if ticket.page != page:
                raise NotVouched("the ticket is for another page")
            viewer = viewer_of(base, ticket.text, ticket.claims)
            return base, viewer, opened_page(base, ticket.text.pages, viewer, page)
        except NotVouched:
            raise missing("page", page) from None


class FramedPage(_Framed):
    """Whoever an issuer vouches for: the page of their ticket, narrowed by filters."""

    needs = {"POST": OUTSIDE}

    @extend_schema(request=MyLook, responses=PageAnswer)
    def post(self, request: Request, page: str) -> Response:
        asked = read_body(request, MyLook)
        base, viewer, found = self.looked_at(request, page)
        return answer(page_as_seen(base, viewer, found, as_on_the_page(base, viewer, found, asked).filters, own=True))


class FramedBeneath(_Framed):
    """Whoever an issuer vouches for: the rows under a number of their page, as far as their roles list rows."""

    needs = {"POST": OUTSIDE}

    @extend_schema(request=BeneathRequest, responses=RowsAnswer)
    def post(self, request: Request, page: str) -> Response:
        asked = read_body(request, BeneathRequest)
        base, viewer, found = self.looked_at(request, page)
        return answer(rows_beneath(base, viewer, found, as_on_the_page(base, viewer, found, asked), own=True))


class FramedExport(_Framed):
    """Whoever an issuer vouches for: an exhibit of their page as a file, as far as their roles let it be exported."""

    needs = {"POST": OUTSIDE}

    @extend_schema(request=ExportRequest, responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def post(self, request: Request, page: str) -> HttpResponse:
        asked = read_body(request, ExportRequest)
        base, viewer, found = self.looked_at(request, page)
        rows = exported_exhibit(base, viewer, found, as_on_the_page(base, viewer, found, asked))
        record(viewer.login or "", "export", f"page {page}", exhibit=asked.exhibit + 1, rows=len(rows) - 1, format=asked.format)
        return file_response(page, asked.format, rows)
