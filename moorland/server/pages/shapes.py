"""What the addresses of shelves and pages of the draft take and give."""

import datetime
from typing import Literal

from pydantic import Field

from moorland.core.bundle.pages import Exhibit, Page, Shelf
from moorland.core.bundle.shape import Name, Shape
from moorland.server.releases.bundles import State


class PageEntry(Shape):
    """A page in the list, with who may open it; `version` is that of the draft, 0 where it is live only."""

    page: Page
    version: int
    openers: list[str]


class ShelfEntry(Shape):
    """A shelf with its pages; `version` is that of the draft, 0 where it is live only."""

    name: str
    label: str
    version: int
    pages: list[PageEntry]


class PagesList(Shape):
    """All shelves and pages of a state."""

    state: State
    shelves: list[ShelfEntry]


class PageSave(Shape):
    """A page to save; `version` is the one that was edited, left out for a new page."""

    page: Page
    version: int | None = None


class ShelfSave(Shape):
    """A shelf to save; `version` is the one that was edited, left out for a new shelf."""

    shelf: Shelf
    version: int | None = None


class ReaderPageText(Shape):
    """What a reader writes of a page of their own: no name, no tags, no owner."""

    label: str = Field(min_length=1, max_length=200)
    about: str | None = Field(default=None, max_length=2000)
    model: Name | None = None
    filters: list[str] = Field(default_factory=list, max_length=20)
    exhibits: list[Exhibit] = Field(default_factory=list, max_length=60)


class ReaderPageEntry(Shape):
    """A reader's page for who keeps the pages of its shelf; without a maker the account is gone."""

    name: str
    label: str
    shelf: str
    maker: str | None
    maker_name: str | None
    exhibits: int
    published_at: datetime.datetime | None
    tags: list[str]
    owner: str | None
    version: int


class ReaderPages(Shape):
    """Pages of readers on the shelves in scope."""

    pages: list[ReaderPageEntry]


class ReaderPageKeeping(Shape):
    """What who keeps the pages of a shelf may do with a reader's page: what is named changes. Without `published` it is taken back."""

    version: int
    published: Literal[False] | None = None
    tags: list[Name] | None = Field(default=None, max_length=50)
    owner: Name | Literal[""] | None = None
    maker: Name | None = None
