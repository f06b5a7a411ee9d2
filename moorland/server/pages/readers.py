"""Pages of readers: whose they are, who sees them, and what they may be built from (semantics.md 10.4)."""

import re
import secrets
from collections.abc import Iterator
from typing import Any

from django.utils import timezone

from moorland.core.bundle.pages import Exhibit, Page
from moorland.core.bundle.writing import to_plain
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.objects import Objects
from moorland.core.engine.questions import Refused
from moorland.core.insight.exhibits import missing_for, page_problems
from moorland.core.insight.named_values import exist_for
from moorland.core.people import Viewer
from moorland.server.directory.models import Account
from moorland.server.errors import Failure, from_document, missing
from moorland.server.evaluating import evaluator
from moorland.server.pages.models import ReaderPage, ReaderPageVersion
from moorland.server.pages.shapes import ReaderPageText

#: So many pages of their own may somebody have, and so many versions of each are kept.
MOST_PAGES = 200
MOST_VERSIONS = 100

_GENERATED = re.compile(r"own-[0-9a-f]{16}")


def generated_name() -> str:
    """A name for a reader's page: nobody chooses it, so no sentence can name it before it is there."""
    return f"own-{secrets.token_hex(8)}"


def reader_page(name: str) -> ReaderPage | None:
    """The reader's page of a name; names of released pages are not looked up."""
    return ReaderPage.objects.select_related("maker").filter(name=name).first() if _GENERATED.fullmatch(name) else None


def made_by(page: ReaderPage, login: str | None) -> bool:
    """Whether somebody made it."""
    return page.maker is not None and page.maker.login == login


def as_page(page: ReaderPage, document: dict[str, Any]) -> Page:
    """One of a reader's page's documents as a page: its name, shelf, tags and owner are not in it."""
    text = from_document(ReaderPageText, document)
    return Page(
        name=page.name,
        label=text.label,
        about=text.about,
        shelf=page.shelf,
        model=text.model,
        filters=text.filters,
        exhibits=text.exhibits,
        tags=page.tags,
        owner=page.owner or None,
    )


def as_shown_to(base: Evaluator, viewer: Viewer, page: ReaderPage) -> Page | None:
    """What somebody is shown of a reader's page: its maker what was written last, others what is published, if they may open it."""
    if made_by(page, viewer.login):
        own = as_page(page, page.document)
        return own if base.may(viewer, "open", own, own=True) else None
    if page.published is None:
        return None
    shown = as_page(page, page.published)
    there = any(shelf.name == page.shelf for shelf in base.bundle.shelves)
    return shown if there and base.may(viewer, "open", shown) else None


def existing_for(base: Evaluator, viewer: Viewer) -> dict[str, Objects]:
    """What exists for somebody, by model: a page of theirs is built from nothing else."""
    found = {}
    for name in base.models:
        try:
            objects = base.viewer_model(viewer, name).objects
        except Refused:
            continue
        if objects.tables:
            found[name] = objects
    return found


def refuse_unbuilt(base: Evaluator, viewer: Viewer, page: Page) -> None:
    """Raises Failure (422) naming everything on a page that does not fit, or does not exist for its maker, in the same words."""
    problems = list(page_problems(base, page, existing_for(base, viewer)))
    if problems:
        message = problems[0].message if len(problems) == 1 else f"{len(problems)} things on the page are wrong."
        raise Failure(422, "invalid", message[0].upper() + message[1:], problems)


def copied(base: Evaluator, viewer: Viewer, page: Page) -> tuple[ReaderPageText, list[str]]:
    """A page as somebody may write it anew, from what exists for them; and the titles of exhibits they see whose filters they may not read.

    What is not available to them is left out without a word: they are not told of it on the page either.
    """
    existing = existing_for(base, viewer)
    objects = existing.get(page.model or "")
    if page.model is None or objects is None:
        return ReaderPageText(label=page.title), []
    exhibits, withheld = [], []
    for exhibit in page.exhibits:
        kept = _in_reach(exhibit, objects)
        if kept is None or missing_for(base, page.model, kept.model_copy(update={"where": None}), objects):
            continue
        if list(page_problems(base, page.model_copy(update={"exhibits": [kept], "filters": []}), existing)) or (
            kept.where and not exist_for(base, viewer, page.model, kept)
        ):
            withheld.append(exhibit.title)
        else:
            exhibits.append(kept)
    filters = [name for name in page.filters if tuple(name.split(".", 1)) in objects.columns]
    return ReaderPageText(label=page.title, about=page.about, model=page.model, filters=filters, exhibits=exhibits), withheld


def _in_reach(exhibit: Exhibit, objects: Objects) -> Exhibit | None:
    """An exhibit with the measures that exist; None where none of them does."""
    measures = [name for name in exhibit.measures if name in objects.measures]
    return None if exhibit.measures and not measures else exhibit.model_copy(update={"measures": measures})


def keep_version(page: ReaderPage, by: str) -> None:
    """Keeps what the page says now as its newest version; the oldest make room."""
    ReaderPageVersion.objects.create(page=page, number=page.version, document=page.document, saved_at=timezone.now(), saved_by=by)
    beyond = list(page.versions.values_list("pk", flat=True)[MOST_VERSIONS:])
    ReaderPageVersion.objects.filter(pk__in=beyond).delete()


def told(page: ReaderPage) -> dict[str, Any]:
    """What the trail tells of a reader's page."""
    return {"shelf": page.shelf, "page": page.document, "published": page.published is not None, "tags": page.tags, "owner": page.owner or None}


def document_of(text: ReaderPageText) -> dict[str, Any]:
    """A text as it is stored."""
    document: dict[str, Any] = to_plain(text)
    return document


def published_for(base: Evaluator, viewer: Viewer) -> Iterator[tuple[ReaderPage, Page]]:
    """The pages of other readers that somebody may open, as they are shown them."""
    for page in ReaderPage.objects.select_related("maker").exclude(published=None):
        if not made_by(page, viewer.login) and (shown := as_shown_to(base, viewer, page)) is not None:
            yield page, shown


def hand_over(page: ReaderPage, heir: Account, by: Account) -> None:
    """Gives a page another maker, who writes on with what exists for them; what it said before was the other's alone, and is not kept.

    What is published stays as it is.
    """
    base = evaluator("live")
    if heir.login not in base.people.users:
        raise missing("user", heir.login)
    text, _ = copied(base, base.viewer(heir.login), as_page(page, page.document))
    page.maker, page.document = heir, document_of(text)
    page.moved()
    page.versions.all().delete()
    keep_version(page, by.login)
