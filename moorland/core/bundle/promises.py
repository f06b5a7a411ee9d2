"""The shapes of promises: what must hold for a viewer (bundle.md)."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from moorland.core.bundle.people import ViewerReference
from moorland.core.bundle.policy import ObjectName
from moorland.core.bundle.shape import ConditionText, Name, Named, Scalar, Shape

ColumnPath = Annotated[str, Field(pattern=r"^[^.]+\.[^.]+$", max_length=401)]


class RowsMust(Shape):
    """So many rows of a table, of those a condition means, are visible; `where` is read on the true values, masked or not."""

    model: Name
    table: Name
    where: ConditionText | None = None
    count: int | None = Field(default=None, ge=0)
    at_least: int | None = Field(default=None, ge=0)
    at_most: int | None = Field(default=None, ge=0)

    @model_validator(mode="after")
    def _one_number(self) -> "RowsMust":
        if len([number for number in (self.count, self.at_least, self.at_most) if number is not None]) != 1:
            raise ValueError("a promise about rows has exactly one of count, at_least, at_most")
        return self


class TotalMust(Shape):
    """A measure, in one line or over all, has a value; null is none at all."""

    model: Name
    measure: Name
    by: list[ColumnPath] = Field(default_factory=list, max_length=8)
    where: ConditionText | None = None
    line: list[Scalar | None] | None = None
    equals: float | None = Field(strict=False)
    tolerance: float = Field(default=0, ge=0, strict=False)


class ValuesMust(Shape):
    """The values of a column that are shown: no others, all of these, none of these."""

    model: Name
    column: ColumnPath
    only: list[Scalar] | None = None
    includes: list[Scalar] | None = None
    excludes: list[Scalar] | None = None

    @model_validator(mode="after")
    def _one_list(self) -> "ValuesMust":
        if len([values for values in (self.only, self.includes, self.excludes) if values is not None]) != 1:
            raise ValueError("a promise about values has exactly one of only, includes, excludes")
        return self


class ObjectsMust(Shape):
    """Objects that are all visible, or all hidden."""

    model: Name
    objects: list[ObjectName] = Field(min_length=1)


class PagesMust(Shape):
    """Pages that can, or cannot, be opened."""

    can_open: list[Name] = Field(default_factory=list)
    cannot_open: list[Name] = Field(default_factory=list)


class SameMust(Shape):
    """The same rows, objects, cells and pages as another viewer."""

    viewer: ViewerReference


MUST_KINDS = ("rows", "total", "values", "visible", "hidden", "pages", "same_as", "nothing")


class Must(Shape):
    """What must hold: exactly one kind."""

    rows: RowsMust | None = None
    total: TotalMust | None = None
    values: ValuesMust | None = None
    visible: ObjectsMust | None = None
    hidden: ObjectsMust | None = None
    pages: PagesMust | None = None
    same_as: SameMust | None = None
    nothing: Literal[True] | None = None

    @model_validator(mode="after")
    def _one_kind(self) -> "Must":
        if len([kind for kind in MUST_KINDS if getattr(self, kind) is not None]) != 1:
            raise ValueError(f"a promise is exactly one of {', '.join(MUST_KINDS)}")
        return self


class Promise(Named):
    """Something that must hold for a viewer."""

    viewer: ViewerReference
    must: Must
