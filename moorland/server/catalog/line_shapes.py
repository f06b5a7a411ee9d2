"""What the addresses of tables kept here take and give."""

from typing import Annotated, Any

from pydantic import Field

from moorland.core.bundle.model import Table
from moorland.core.bundle.shape import Scalar, Shape

Values = dict[str, Scalar | None]


class ColumnMeaning(Shape):
    """How entitlement sentences read a column: as a `person` (login, group …), or as values `of` a column of the model."""

    person: str | None
    of: str | None
    separator: str | None
    everything: str | None


class Fault(Shape):
    """What looks wrong in a cell, and the nearest value that would do; `careful` where the line works but is worth a look."""

    column: str
    message: str
    nearest: str | None
    careful: bool = False
    #: Of a list with a separator, the item that is wrong.
    part: str | None = None


class LineEntry(Shape):
    """A line with who added it and why; `ended_at` where it holds no longer."""

    id: int
    values: dict[str, Any]
    reason: str
    added_at: str
    added_by: str
    ended_at: str | None
    ended_by: str | None
    faults: list[Fault]


class LinesAnswer(Shape):
    """The lines of a table kept here; `known` are values its cells can hold."""

    table: Table
    version: int
    meanings: dict[str, ColumnMeaning]
    known: dict[str, list[str]]
    lines: list[LineEntry]


class HistoryAnswer(Shape):
    """Every line there ever was, newest change first."""

    lines: list[LineEntry]


class LineChange(Shape):
    """A line's values."""

    values: Values
    reason: Annotated[str, Field(max_length=400)] = ""


class ChangedLine(LineChange):
    """Other values for a line that is there."""

    id: int


class LinesChange(Shape):
    """Lines to add, change and end, against the version that was looked at."""

    version: int
    reason: Annotated[str, Field(max_length=400)] = ""
    add: list[LineChange] = Field(default_factory=list, max_length=20_000)
    change: list[ChangedLine] = Field(default_factory=list, max_length=20_000)
    end: list[int] = Field(default_factory=list, max_length=20_000)


class LinesCheck(Shape):
    """Values to look at while they are typed."""

    lines: list[Values] = Field(max_length=20_000)


class LinesChecked(Shape):
    """What looks wrong in each line, in order."""

    faults: list[list[Fault]]
