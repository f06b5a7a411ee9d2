"""What the addresses of pages take and give."""

from typing import Literal

from pydantic import Field

from moorland.core.bundle.model import Display
from moorland.core.bundle.pages import Exhibit
from moorland.core.bundle.shape import Scalar, Shape
from moorland.core.engine.questions import RowsAnswer, TotalsAnswer
from moorland.server.viewing.shapes import Asked, PinnedViewer


class PageFilter(Shape):
    """A page narrowed by values of a column; null among them stands for blank. Selected in one exhibit, it narrows the others only."""

    column: str = Field(max_length=401, pattern=r"^[^.]+\..+$")
    values: list[Scalar | None] = Field(min_length=1, max_length=500)
    from_exhibit: int | None = Field(default=None, ge=0, le=100)


class FilterChoice(Shape):
    """A column a page can be narrowed by, with the values offered; `more` says that there are others."""

    column: str
    label: str
    type: str
    values: list[Scalar]
    more: bool


class ExhibitAnswer(Shape):
    """An exhibit with its answer; without one it is unavailable, and only administrators are told the reason.

    `narrowed` are the filters that reached it, `tables` those whose rows can be listed beneath its numbers; `margins` are the sums of a
    two-way table over its rows, one answer a level, the whole first.
    """

    exhibit: Exhibit
    rows: RowsAnswer | None = None
    totals: TotalsAnswer | None = None
    margins: list[TotalsAnswer] = Field(default_factory=list)
    reason: str | None = None
    narrowed: list[str] = Field(default_factory=list)
    tables: list[str] = Field(default_factory=list)


class MeasureLabel(Shape):
    """How a measure that exists for the viewer is called and shown."""

    label: str
    format: str | None


class PageAnswer(Shape):
    """A page as somebody sees it."""

    name: str
    label: str
    shelf: str
    exhibits: list[ExhibitAnswer]
    measures: dict[str, MeasureLabel]
    #: How the columns that exist for the viewer are shown, where not as they are.
    columns: dict[str, Display] = Field(default_factory=dict)
    filters: list[FilterChoice]
    may_export: bool


Filters = list[PageFilter]


class PageLookRequest(Asked):
    """A page as another viewer sees it, under filters."""

    viewer: PinnedViewer
    filters: Filters = Field(default_factory=list, max_length=20)


class PageLook(Shape):
    """A page as another viewer sees it, or why it does not exist for that viewer."""

    can_open: bool
    page: PageAnswer | None
    reason: str | None


class BeneathRequest(Shape):
    """Rows under a number: the exhibit's place, the values of its line, and the filters; `beneath` tells an export of them from one of the exhibit."""

    exhibit: int = Field(ge=0, le=100)
    key: list[Scalar | None] = Field(default_factory=list, max_length=8)
    table: str | None = None
    filters: Filters = Field(default_factory=list, max_length=20)
    limit: int = Field(default=200, ge=0, le=100_000)
    offset: int = Field(default=0, ge=0)
    beneath: bool = False


class BeneathLook(Asked):
    """The same of a page as another viewer sees it."""

    viewer: PinnedViewer
    beneath: BeneathRequest


class ExportRequest(BeneathRequest):
    """An exhibit, or rows beneath it, as a file."""

    format: Literal["csv", "xlsx"]


class ExhibitTry(Asked):
    """An exhibit that is being written, for viewers."""

    model: str
    exhibit: Exhibit
    viewers: list[PinnedViewer] = Field(min_length=1, max_length=4)


class ExhibitTried(Shape):
    """The exhibit for each viewer, in order; what is wrong with it, for any viewer."""

    answers: list[ExhibitAnswer]
    measures: dict[str, MeasureLabel]


class HoldersGridRequest(Asked):
    """Who can open which pages: people, groups or roles against pages, before and after unsaved edits."""

    by: Literal["people", "groups", "roles"] = "people"
    search: str = Field(default="", max_length=200)
    changed_only: bool = False
    limit: int = Field(default=100, ge=1, le=500)
    offset: int = Field(default=0, ge=0)


class HoldersLine(Shape):
    """One holder: the pages it can open before and after the edit."""

    name: str
    label: str
    before: list[str]
    after: list[str]


class HoldersGrid(Shape):
    """Lines of the grid; `changed` counts those with a difference."""

    pages: list[str]
    total: int
    changed: int
    lines: list[HoldersLine]


class MyPage(Shape):
    """A page in a viewer's own list, or a shelf on which they may make pages; `by` is who made a page that is a reader's."""

    name: str
    label: str
    by: str | None = None


class MyOwnPage(Shape):
    """A page one made oneself: on which shelf, whether others see it, and whether it was changed since."""

    name: str
    label: str
    shelf: str
    published: bool
    changed: bool


class MyShelf(Shape):
    """A shelf with the pages a viewer may open."""

    name: str
    label: str
    pages: list[MyPage]


class MyPages(Shape):
    """What a viewer may open; pages of their own; shelves on which they may make pages."""

    shelves: list[MyShelf]
    own: list[MyOwnPage] = Field(default_factory=list)
    create: list[MyPage] = Field(default_factory=list)


class MyLook(Shape):
    """One's own page, under filters."""

    filters: Filters = Field(default_factory=list, max_length=20)
