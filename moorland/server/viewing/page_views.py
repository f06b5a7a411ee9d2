"""Pages as administrators look at them: the list with who may open each, a page as each viewer sees it, the grid of holders against pages."""

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.pages import Page as PageShape
from moorland.core.bundle.people import ImaginedPerson, ImaginedViewer, ViewerReference
from moorland.core.bundle.problems import BundleError
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Refused, RowsAnswer
from moorland.core.insight.exhibits import everything_in, exhibit_problems
from moorland.core.insight.holders import page_openers
from moorland.server.directory.service import openers_of
from moorland.server.duties.permission import READERS, request_rights, within
from moorland.server.duties.rights import outside
from moorland.server.errors import Failure, answer, missing, read_body
from moorland.server.evaluating import evaluator
from moorland.server.pages.models import Page, Shelf
from moorland.server.pages.shapes import PageEntry, PagesList, ShelfEntry
from moorland.server.requests import STATE_PARAMETER, account_of, state_of
from moorland.server.viewing.knowing import may_know_page, may_read_page, without_page_literals
from moorland.server.viewing.looking import may_look, may_look_at_all, needs_values
from moorland.server.viewing.looks import record_look
from moorland.server.viewing.page_looks import LookedAt, one_exhibit, page_as_seen, rows_beneath
from moorland.server.viewing.page_shapes import (
    BeneathLook,
    ExhibitTried,
    ExhibitTry,
    HoldersGrid,
    HoldersGridRequest,
    HoldersLine,
    PageLook,
    PageLookRequest,
)
from moorland.server.viewing.service import asked_evaluator, resolve, viewer_title, why_nothing


def page_named(base: Evaluator, name: str) -> PageShape:
    """A page of a state. Raises Failure (404)."""
    found = next((item for item in base.bundle.pages if item.name == name), None)
    if found is None:
        raise missing("page", name)
    return found


class Pages(APIView):
    """By duty: shelves and pages, with who may open each."""

    needs = {"GET": READERS}

    @extend_schema(responses=PagesList, parameters=[STATE_PARAMETER])
    def get(self, request: Request) -> Response:
        state, rights = state_of(request), request_rights(request)
        base = evaluator(state)
        known = {viewer.login for viewer in base.everyone() if any(rights.reaches(act, person=viewer) for act in ("look-shapes", "map", "people"))}
        openers = {page: [login for login in logins if login in known] for page, logins in openers_of(base).items()}
        versions, shelved = (dict(kind.objects.values_list("name", "version")) for kind in (Page, Shelf))
        shelves = [
            ShelfEntry(
                name=shelf.name,
                label=shelf.title,
                version=shelved.get(shelf.name, 0),
                pages=[
                    PageEntry(
                        page=page if may_read_page(rights, page) else without_page_literals(page),
                        version=versions.get(page.name, 0),
                        openers=openers[page.name],
                    )
                    for page in base.bundle.pages
                    if page.shelf == shelf.name and may_know_page(rights, page)
                ],
            )
            for shelf in base.bundle.shelves
            if rights.reaches("pages", shelf=shelf.name) or any(page.shelf == shelf.name and may_know_page(rights, page) for page in base.bundle.pages)
        ]
        return answer(PagesList(state=state, shelves=shelves))


class PageLooks(APIView):
    """By duty: a page as another viewer sees it."""

    needs = {"POST": within("look-shapes")}

    @extend_schema(request=PageLookRequest, responses=PageLook)
    def post(self, request: Request, page: str) -> Response:
        asked = read_body(request, PageLookRequest)
        base = asked_evaluator(asked)
        found = page_named(base, page)
        level = may_look(request, asked, [asked.viewer], [found.model] if found.model is not None else [])
        record_look(account_of(request), [viewer_title(asked.viewer)], f"page {page}", asked.state)
        viewer = resolve(base, asked.viewer)
        if not base.may_open(viewer, page):
            reason = (
                why_nothing(base, viewer)
                or f"No pages sentence of a role held by {viewer.name or viewer.login or 'this viewer'} opens this page, or a limit closes it."
            )
            return answer(PageLook(can_open=False, page=None, reason=reason if level == "values" else "It does not open for this viewer."))
        if level == "shapes":
            return answer(PageLook(can_open=True, page=None, reason="What is on it tells values: that needs the duty to look with values."))
        existing = [item for item in asked.filters if _exists(base, asked, item.column, found)]
        return answer(PageLook(can_open=True, page=page_as_seen(base, viewer, LookedAt(found), existing), reason=None))


def _exists(base: Evaluator, asked: PageLookRequest, column: str, page: PageShape) -> bool:
    """Whether a filter's column exists for the viewer; side by side, a filter that one of them cannot use is left out for that one."""
    try:
        model = base.viewer_model(resolve(base, asked.viewer), page.model or "")
    except Refused:
        return False
    owner, _, name = column.partition(".")
    return (owner, name) in model.objects.columns


class PageBeneath(APIView):
    """By duty: the rows under a number of a page, as another viewer may list them."""

    needs = {"POST": within("look-values")}

    @extend_schema(request=BeneathLook, responses=RowsAnswer)
    def post(self, request: Request, page: str) -> Response:
        asked = read_body(request, BeneathLook)
        base = asked_evaluator(asked)
        found = page_named(base, page)
        if may_look(request, asked, [asked.viewer], [found.model] if found.model is not None else []) != "values":
            raise needs_values()
        viewer = resolve(base, asked.viewer)
        record_look(account_of(request), [viewer_title(asked.viewer)], f"rows beneath page {page}", asked.state)
        if not base.may_open(viewer, page):
            raise missing("page", page)
        return answer(rows_beneath(base, viewer, LookedAt(found), asked.beneath, own=False))


class ExhibitTries(APIView):
    """By duty: an exhibit that is being written, with its data, as viewers see it."""

    needs = {"POST": within("look-values")}

    @extend_schema(request=ExhibitTry, responses=ExhibitTried)
    def post(self, request: Request) -> Response:
        asked = read_body(request, ExhibitTry)
        if may_look(request, asked, asked.viewers, [asked.model]) != "values":
            raise needs_values()
        base = asked_evaluator(asked)
        if asked.model not in base.models:
            raise missing("model", asked.model)
        problems = list(exhibit_problems(base, asked.model, asked.exhibit, "exhibit", everything_in(base, asked.model)))
        if problems:
            raise Failure(422, "invalid", problems[0].sentence(), problems)
        record_look(account_of(request), [viewer_title(pinned) for pinned in asked.viewers], f"exhibit {asked.exhibit.title}", asked.state)
        tried = [one_exhibit(base, resolve(base, pinned), asked.model, asked.exhibit) for pinned in asked.viewers]
        labels = {name: label for _, measures in tried for name, label in measures.items()}
        return answer(ExhibitTried(answers=[entry for entry, _ in tried], measures=labels))


class PagesGrid(APIView):
    """By duty: people, groups or roles against pages, before and after unsaved edits."""

    needs = {"POST": within("look-shapes")}

    @extend_schema(request=HoldersGridRequest, responses=HoldersGrid)
    def post(self, request: Request) -> Response:
        asked = read_body(request, HoldersGridRequest)
        _, seen = may_look_at_all(request, asked, None)
        if asked.by != "people" and not request_rights(request).reaches("look-shapes", everyone=True, every_model=True):
            raise outside("Groups and roles against pages are for who may look at all people.")
        after = asked_evaluator(asked)
        before = evaluator(asked.state, asked.as_of)
        record_look(account_of(request), ["everyone"], f"pages by {asked.by}", asked.state)
        pages = [page.name for page in after.bundle.pages]
        known = {viewer.login for viewer in after.everyone() if seen(viewer)}
        holders = [item for item in _holders(after, asked.by) if asked.by != "people" or item[0] in known]
        holders = [item for item in holders if asked.search.casefold() in f"{item[0]} {item[1]}".casefold()]
        old = _opened(before, asked.by, holders, stored=True)
        new = old if after is before else _opened(after, asked.by, holders, stored=False)
        changed = [item for item in holders if old[item[0]] != new[item[0]]]
        chosen = changed if asked.changed_only else holders
        shown = chosen[asked.offset : asked.offset + asked.limit]
        lines = [HoldersLine(name=name, label=label, before=old[name], after=new[name]) for name, label in shown]
        return answer(HoldersGrid(pages=pages, total=len(chosen), changed=len(changed), lines=lines))


def _holders(base: Evaluator, by: str) -> list[tuple[str, str]]:
    """Names and labels of the holders asked about."""
    if by == "people":
        return [(user.login, user.name or user.login) for user in sorted(base.bundle.users, key=lambda user: user.login)]
    if by == "groups":
        return [(group.name, group.title) for group in base.bundle.groups]
    return [(role.name, role.title) for role in base.bundle.roles if role.kind == "grant"]


def _opened(base: Evaluator, by: str, holders: list[tuple[str, str]], stored: bool) -> dict[str, list[str]]:
    """The pages each holder can open: of a group, somebody who is only in it; of a role, somebody who holds only that.

    Those of a `stored` state are kept until it changes; those of an edit are not, or every keystroke would push them out.
    """
    if by == "people":
        known = openers_of(base) if stored else page_openers(base)
        openers = {page: set(logins) for page, logins in known.items()}
        return {name: [page for page, logins in openers.items() if name in logins] for name, _ in holders}
    found: dict[str, list[str]] = {}
    for name, _ in holders:
        person = ImaginedPerson(groups=[name]) if by == "groups" else ImaginedPerson(only_roles=[name])
        reference: ViewerReference = ImaginedViewer(imagine=person)
        try:
            viewer = base.viewer(reference)
        except BundleError:
            found[name] = []
            continue
        found[name] = [page.name for page in base.bundle.pages if base.may_open(viewer, page.name)]
    return found
