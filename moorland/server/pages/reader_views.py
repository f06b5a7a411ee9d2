"""Pages of readers for who keeps the pages of their shelves: taken back, tagged, given another maker, deleted."""

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.server.changes import expect_version, recorded
from moorland.server.directory.models import Account
from moorland.server.duties.permission import request_rights, within
from moorland.server.errors import answer, missing, read_body
from moorland.server.pages.models import ReaderPage
from moorland.server.pages.readers import hand_over, reader_page, told
from moorland.server.pages.shapes import ReaderPageEntry, ReaderPageKeeping, ReaderPages
from moorland.server.requests import VERSION, account_of, version_of


class PagesOfReaders(APIView):
    """By duty: the pages of readers on the shelves in scope, without what stands on them."""

    needs = {"GET": within("pages")}

    @extend_schema(responses=ReaderPages)
    def get(self, request: Request) -> Response:
        rights = request_rights(request)
        pages = [_entry(page) for page in ReaderPage.objects.select_related("maker") if rights.reaches("pages", shelf=page.shelf)]
        return answer(ReaderPages(pages=pages))


class PageOfReader(APIView):
    """By duty over its shelf: takes a reader's page back, sets its tags and owner, gives it another maker, deletes it."""

    needs = {"PUT": within("pages"), "DELETE": within("pages")}

    @extend_schema(request=ReaderPageKeeping, responses=ReaderPageEntry)
    def put(self, request: Request, page: str) -> Response:
        asked = read_body(request, ReaderPageKeeping)
        with recorded(account_of(request), "keep page of reader", f"page {page}") as change:
            stored = _in_scope(request, page)
            expect_version(stored, asked.version, "this page")
            change.before = _told(stored)
            if asked.published is False:
                stored.published, stored.published_at = None, None
            if asked.tags is not None:
                stored.tags = list(asked.tags)
            if asked.owner is not None:
                stored.owner = asked.owner
            if asked.maker is not None and (stored.maker is None or stored.maker.login != asked.maker):
                heir = Account.objects.filter(login=asked.maker).first()
                if heir is None:
                    raise missing("user", asked.maker)
                hand_over(stored, heir, account_of(request))
            stored.moved()
            change.after = _told(stored)
        return answer(_entry(stored))

    @extend_schema(request=None, responses={204: None}, parameters=[VERSION])
    def delete(self, request: Request, page: str) -> Response:
        with recorded(account_of(request), "delete page", f"page {page}") as change:
            stored = _in_scope(request, page)
            expect_version(stored, version_of(request), "this page")
            change.before = _told(stored)
            stored.delete()
        return Response(status=204)


def _in_scope(request: Request, name: str) -> ReaderPage:
    """A reader's page on a shelf in scope. Raises Failure (404)."""
    stored = reader_page(name)
    if stored is None or not request_rights(request).reaches("pages", shelf=stored.shelf):
        raise missing("page", name)
    return stored


def _told(page: ReaderPage) -> dict[str, object]:
    return {**told(page), "maker": page.maker.login if page.maker else None}


def _entry(page: ReaderPage) -> ReaderPageEntry:
    return ReaderPageEntry(
        name=page.name,
        label=page.document["label"],
        shelf=page.shelf,
        maker=page.maker.login if page.maker else None,
        maker_name=page.maker.name if page.maker else None,
        exhibits=len(page.document.get("exhibits", [])),
        published_at=page.published_at,
        tags=page.tags,
        owner=page.owner or None,
        version=page.version,
    )
