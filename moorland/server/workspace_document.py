"""What a workspace is beside its bundle: rules for signing in, issuers, how long the trail is kept, pages of readers (bundle.md).

It stands in `workspace.yaml` of an export, without secrets. An issuer that signs with a secret comes in disabled where the workspace does not
know the secret; one that is not named is disabled, and a page of a reader that is not named stays.
"""

import datetime
from pathlib import Path
from typing import Annotated, Any, Literal

import yaml
from django.utils import timezone
from pydantic import Field, StringConstraints

from moorland.core.bundle.reading import read_beside
from moorland.core.bundle.shape import Name, Shape
from moorland.core.bundle.writing import to_plain
from moorland.server.access.models import StoredRules
from moorland.server.access.rules import SignInRules, refuse_organizations, rules
from moorland.server.directory.models import Account
from moorland.server.errors import Failure, from_document
from moorland.server.outside.claims import text_of
from moorland.server.outside.issuers import refuse_signing, refuse_taken
from moorland.server.outside.models import Issuer
from moorland.server.outside.shapes import IssuerText
from moorland.server.pages.models import ReaderPage
from moorland.server.pages.readers import keep_version
from moorland.server.pages.shapes import ReaderPageText
from moorland.server.releases.models import Workspace

FILE = "workspace.yaml"


class KeptIssuer(Shape):
    """An issuer without its secret."""

    text: IssuerText
    enabled: bool = True


class KeptPage(Shape):
    """A page of a reader: what its maker wrote last, and what others are shown."""

    name: Annotated[str, StringConstraints(pattern=r"^own-[0-9a-f]{16}$")]
    maker: Name | None = None
    shelf: Name
    page: ReaderPageText
    published: ReaderPageText | None = None
    published_at: datetime.datetime | None = Field(default=None, strict=False)
    tags: list[Name] = Field(default_factory=list, max_length=50)
    owner: Name | None = None


class WorkspaceDocument(Shape):
    """What a workspace is beside its bundle."""

    workspace: Literal[1] = 1
    sign_in: SignInRules = Field(default_factory=SignInRules)
    trail_days: int | None = Field(default=None, ge=30, le=36_500)
    second_person: list[Name] = Field(default_factory=list, max_length=200)
    issuers: list[KeptIssuer] = Field(default_factory=list, max_length=50)
    reader_pages: list[KeptPage] = Field(default_factory=list, max_length=20_000)


def workspace_document() -> WorkspaceDocument:
    """What the workspace is now, issuers and pages by name."""
    space = Workspace.objects.get()
    pages = ReaderPage.objects.select_related("maker").order_by("name")
    return WorkspaceDocument(
        sign_in=rules(),
        trail_days=space.trail_days,
        second_person=space.second_person,
        issuers=[KeptIssuer(text=text_of(item), enabled=item.enabled) for item in Issuer.objects.order_by("name")],
        reader_pages=[_kept(page) for page in pages],
    )


def _kept(page: ReaderPage) -> KeptPage:
    return KeptPage(
        name=page.name,
        maker=page.maker.login if page.maker else None,
        shelf=page.shelf,
        page=from_document(ReaderPageText, page.document),
        published=from_document(ReaderPageText, page.published) if page.published is not None else None,
        published_at=page.published_at,
        tags=page.tags,
        owner=page.owner or None,
    )


def write_workspace(folder: Path) -> None:
    """Writes `workspace.yaml`."""
    document = {"workspace": 1} | to_plain(workspace_document())
    (folder / FILE).write_text(yaml.safe_dump(document, sort_keys=False, allow_unicode=True, width=140), "utf-8")


def read_workspace(folder: Path) -> WorkspaceDocument | None:
    """What stands in `workspace.yaml`; None where a bundle comes without one. Raises BundleError where it is wrong."""
    if not (folder / FILE).exists():
        return None
    return read_beside(folder, FILE, WorkspaceDocument)


def apply_workspace(document: WorkspaceDocument, by: str) -> list[str]:
    """Makes the workspace what a document says; within a transaction, once people and places are there.

    Gives what is other than before, each in a few words. Raises Failure where it does not fit the workspace.
    """
    before = workspace_document()
    refuse_organizations(document.sign_in)
    if document.sign_in != before.sign_in:
        stored = StoredRules.objects.first() or StoredRules(version=0)
        stored.document, stored.version = document.sign_in.model_dump(mode="json"), stored.version + 1
        stored.save()
    Workspace.objects.update(trail_days=document.trail_days, second_person=document.second_person)
    _issuers(document.issuers)
    _pages(document.reader_pages, by)
    return _changes(before, workspace_document())


def _issuers(wanted: list[KeptIssuer]) -> None:
    logins = list(Account.objects.values_list("login", flat=True))
    known = {item.name: item for item in Issuer.objects.all()}
    for kept in wanted:
        refuse_taken(kept.text, logins)
        refuse_signing(kept.text, False, True)
        document = kept.text.model_dump(mode="json")
        item = known.pop(kept.text.name, None) or Issuer(name=kept.text.name, document=None, version=0)
        if kept.text.signing != "HS256":
            item.sealed = ""
        enabled = kept.enabled and (kept.text.signing != "HS256" or bool(item.sealed))
        if (item.document, item.enabled) != (document, enabled):
            item.document, item.enabled = document, enabled
            item.moved()
    Issuer.objects.filter(pk__in=[item.pk for item in known.values()]).update(enabled=False)


def _pages(wanted: list[KeptPage], by: str) -> None:
    makers = {account.login: account for account in Account.objects.all()}
    known = {page.name: page for page in ReaderPage.objects.select_related("maker")}
    for kept in wanted:
        if kept.maker is not None and kept.maker not in makers:
            raise Failure(422, "invalid", f"The page {kept.page.label} is of {kept.maker}, who is not in the bundle. Nothing was changed.")
        stored = known.get(kept.name)
        if stored is not None and _kept(stored) == kept:
            continue
        page = stored or ReaderPage(name=kept.name, version=0)
        page.maker = makers[kept.maker] if kept.maker else None
        page.shelf, page.document, page.tags, page.owner = kept.shelf, to_plain(kept.page), kept.tags, kept.owner or ""
        page.published = to_plain(kept.published) if kept.published is not None else None
        page.published_at = kept.published_at or (timezone.now() if kept.published is not None else None)
        page.moved()
        keep_version(page, by)


def _changes(before: WorkspaceDocument, after: WorkspaceDocument) -> list[str]:
    told = [f"sign-in rules: {name}" for name in SignInRules.model_fields if getattr(before.sign_in, name) != getattr(after.sign_in, name)]
    if before.trail_days != after.trail_days:
        told.append(f"the trail is kept {f'for {after.trail_days:,} days' if after.trail_days else 'for good'}")
    if before.second_person != after.second_person:
        told.append(f"a second person approves releases of {', '.join(after.second_person) or 'nothing'}")
    told += _told("issuer", {item.text.name: item for item in before.issuers}, {item.text.name: item for item in after.issuers})
    titles = {page.name: f"{page.page.label} of {page.maker or 'nobody'}" for page in (*before.reader_pages, *after.reader_pages)}
    pages = [{page.name: page for page in side.reader_pages} for side in (before, after)]
    return told + [text.replace(name, title) for text in _told("page", *pages) for name, title in titles.items() if name in text]


def _told(what: str, before: dict[str, Any], after: dict[str, Any]) -> list[str]:
    return [
        f"{what} {name} {'added' if name not in before else 'changed'}{', disabled' if getattr(item, 'enabled', True) is False else ''}"
        for name, item in after.items()
        if before.get(name) != item
    ]
