"""What the addresses take and give by which readers build pages of their own."""

import datetime
from typing import Any

from pydantic import Field

from moorland.core.bundle.pages import Exhibit
from moorland.core.bundle.shape import ConditionText, Name, Shape, ValueType
from moorland.server.pages.shapes import ReaderPageText
from moorland.server.viewing.page_shapes import ExhibitAnswer, MeasureLabel


class OwnColumn(Shape):
    """A column that exists for who asks; `samples` are some values they are shown in clear (vocabulary only)."""

    name: str
    label: str
    type: ValueType
    about: str | None = None
    samples: list[Any] = Field(default_factory=list)


class OwnTable(Shape):
    """A table that exists for who asks, with the tables whose columns come with its rows."""

    name: str
    label: str
    key: str | None
    columns: list[OwnColumn]
    lookups: list[str]
    about: str | None = None


class OwnMeasure(Shape):
    """A measure that exists for who asks; `table` is the first whose rows it counts, `tables` all of them."""

    name: str
    label: str
    format: str | None
    table: str
    tables: list[str]
    about: str | None = None


class OwnHierarchy(Shape):
    """A hierarchy of levels that exists for who asks."""

    name: str
    label: str
    table: str
    levels: list[str]


class OwnDimension(Shape):
    """A dimension of a cube: its table, and its hierarchies as far as they exist."""

    table: str
    hierarchies: list[str]


class OwnCube(Shape):
    """A cube that exists for who asks."""

    name: str
    label: str
    dimensions: list[OwnDimension]
    measures: list[str]


class OwnModel(Shape):
    """What exists of a model for who asks: what pages may be built from, and cubes browsed. Nothing of how it is made."""

    name: str
    label: str
    tables: list[OwnTable]
    measures: list[OwnMeasure]
    hierarchies: list[OwnHierarchy]
    cubes: list[OwnCube]


class OwnModels(Shape):
    """All models that exist for who asks."""

    models: list[OwnModel]


class OwnPageMaking(Shape):
    """A new page on a shelf: empty, or as a copy of one that may be opened."""

    label: str = Field(min_length=1, max_length=200)
    shelf: Name
    copy_of: Name | None = None


class OwnPageMade(Shape):
    """The new page; `left_out` are the titles of exhibits whose filters name what their reader may not read."""

    name: str
    left_out: list[str]


class OwnPageWriting(Shape):
    """A page of one's own as it is written, and what may be done with it now."""

    name: str
    text: ReaderPageText
    shelf: str
    shelf_label: str
    version: int
    published_at: datetime.datetime | None
    changed: bool
    may_edit: bool
    may_publish: bool


class OwnPageSave(Shape):
    """A page of one's own to save; `version` is the one that was edited."""

    text: ReaderPageText
    version: int


class OwnPagePublishing(Shape):
    """Puts a page on its shelf as it is now, or takes it back."""

    published: bool
    version: int


class OwnPageVersion(Shape):
    """What a page said after a save."""

    version: int
    saved_at: datetime.datetime
    saved_by: str
    text: ReaderPageText


class OwnPageVersions(Shape):
    """The versions of a page, newest first."""

    versions: list[OwnPageVersion]


class OwnExhibitTry(Shape):
    """An exhibit that is being written."""

    model: Name
    exhibit: Exhibit


class OwnExhibitTried(Shape):
    """The exhibit as its writer sees it."""

    answer: ExhibitAnswer
    measures: dict[str, MeasureLabel]


class OwnCheckRequest(Shape):
    """A filter to check while it is typed."""

    model: Name
    table: Name | None = None
    where: ConditionText
