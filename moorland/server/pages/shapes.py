"""What the addresses of shelves and pages of the draft take and give."""

from moorland.core.bundle.pages import Page, Shelf
from moorland.core.bundle.shape import Shape
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
