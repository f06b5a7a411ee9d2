"""The shapes of a model: tables, relationships, hierarchies, measures, cubes (semantics.md 3)."""

from typing import Literal

from pydantic import Field

from moorland.core.bundle.shape import ConditionText, Name, Named, Scalar, Shape, ValueType
from moorland.core.bundle.sources import Placement


class Mapping(Shape):
    """A derived column that gives each value of another column a new one (3.4, 12.4)."""

    of: Name
    values: dict[str, Scalar | None]
    otherwise: Scalar | None = Field(default=None, alias="else")


class Display(Shape):
    """How the values of a column are shown where rows are: exactly, unless this says otherwise. It changes no value and no answer.

    `grouped` parts thousands, `decimals` shows so many places, `unit` stands behind a number, `day` leaves the time of a timestamp away.
    """

    grouped: bool = False
    decimals: int | None = Field(default=None, ge=0, le=9)
    unit: str | None = Field(default=None, max_length=20)
    day: bool = False


class Column(Named):
    """A typed column, stored or derived."""

    type: ValueType
    display: Display | None = None
    tags: list[Name] = Field(default_factory=list)
    folder: Name | None = None
    quarantine: bool = False
    expression: ConditionText | None = None
    mapping: Mapping | None = None

    @property
    def derived(self) -> bool:
        """Whether the column is computed from others (3.4)."""
        return self.expression is not None or self.mapping is not None


class Table(Named):
    """Typed columns with an optional single-column key (3.1), or an alias of another table (3.3)."""

    key: Name | None = None
    alias_of: Name | None = None
    data: str | None = None
    sheet: str | None = None
    header_row: int | None = Field(default=None, ge=1)
    #: Where the table stays, in place of data that comes with the bundle (sources.md 17.1).
    in_place: Placement | None = None
    base_filter: ConditionText | None = None
    base_filter_label: str | None = Field(default=None, max_length=200)
    base_filter_reason: str | None = Field(default=None, max_length=4000)
    tags: list[Name] = Field(default_factory=list)
    folder: Name | None = None
    quarantine: bool = False
    columns: list[Column] = Field(default_factory=list)

    def column(self, name: str) -> Column | None:
        """The column of that name, if there is one."""
        return next((column for column in self.columns if column.name == name), None)


class Relationship(Shape):
    """Runs from a column of the many side to the key of the one side (3.2)."""

    from_: str = Field(alias="from", pattern=r"^[^.]+\.[^.]+$")
    to: str = Field(pattern=r"^[^.]+\.[^.]+$")
    carries: Literal["down", "down_and_up"] = "down"

    @property
    def many(self) -> tuple[str, str]:
        """Table and column of the many side."""
        table, column = self.from_.split(".")
        return table, column

    @property
    def one(self) -> tuple[str, str]:
        """Table and key of the one side."""
        table, column = self.to.split(".")
        return table, column


class Hierarchy(Named):
    """Levels from coarse to fine, or a key and its parent (3.5)."""

    table: Name
    levels: list[Name] | None = None
    key: Name | None = None
    parent: Name | None = None

    @property
    def columns(self) -> list[str]:
        """The columns the hierarchy is made of."""
        return list(self.levels) if self.levels is not None else [name for name in (self.key, self.parent) if name]


class Measure(Named):
    """An aggregate expression over one table (3.6)."""

    table: Name
    expression: ConditionText
    tags: list[Name] = Field(default_factory=list)
    folder: Name | None = None
    format: str | None = Field(default=None, max_length=40)


class Dimension(Shape):
    """A table of a cube with the hierarchies it is asked by."""

    table: Name
    hierarchies: list[Name] = Field(default_factory=list)


class Cube(Named):
    """A narrower way to ask a model, with the same security (3.8)."""

    facts: list[Name]
    dimensions: list[Dimension] = Field(default_factory=list)
    measures: list[Name] = Field(default_factory=list)


class Model(Named):
    """Tables and what is computed from them (3.1)."""

    tables: list[Table] = Field(default_factory=list)
    relationships: list[Relationship] = Field(default_factory=list)
    hierarchies: list[Hierarchy] = Field(default_factory=list)
    measures: list[Measure] = Field(default_factory=list)
    cubes: list[Cube] = Field(default_factory=list)

    def table(self, name: str) -> Table | None:
        """The table of that name, if there is one."""
        return next((table for table in self.tables if table.name == name), None)
