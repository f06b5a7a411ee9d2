"""The shapes of shelves, pages and exhibits (semantics.md 10)."""

from typing import Annotated, Literal

from pydantic import Field

from moorland.core.bundle.shape import ConditionText, Name, Named, Shape


class Shelf(Named):
    """Where pages lie."""


class Made(Shape):
    """A measure or column made for the occasion, under a name of its own (semantics.md 7.8); bare names in it are columns of `table`."""

    expression: ConditionText
    as_: Name = Field(alias="as")
    table: Name | None = None


class Exhibit(Shape):
    """A figure, a chart or a table that asks by semantics.md 7."""

    title: str = Field(min_length=1, max_length=200)
    kind: Literal["figure", "bar", "line", "treemap", "list", "two_way"]
    by: list[str] = Field(default_factory=list)
    measures: list[Name] = Field(default_factory=list)
    table: Name | None = None
    columns: list[str] = Field(default_factory=list)
    #: Measures and columns made for it, named in `by` and `measures`.
    made: list[Made] = Field(default_factory=list, max_length=20)
    where: ConditionText | None = None
    order: list[str] = Field(default_factory=list)
    limit: Annotated[int, Field(ge=1, le=1000)] | None = None
    width: Literal[1, 2, 3] | None = None
    #: A column whose values tell the marks of a chart apart, each in its own colour.
    colour: str | None = None
    #: Of a two-way table, so many of the last columns of `by` run across; one where it does not say.
    across: Annotated[int, Field(ge=1, le=4)] | None = None
    #: A two-way table closes with totals of its rows and columns.
    totals: bool = False
    #: Where it is not available to a reader: the page closes up, or keeps its place and says so (10.3).
    absent: Literal["close", "keep"] = "close"


class Page(Named):
    """Exhibits that are opened together."""

    shelf: Name
    model: Name | None = None
    tags: list[Name] = Field(default_factory=list)
    owner: Name | None = None
    #: Columns a reader may narrow the page by; each exhibit that reaches one is narrowed.
    filters: list[str] = Field(default_factory=list, max_length=20)
    exhibits: list[Exhibit] = Field(default_factory=list, max_length=60)
