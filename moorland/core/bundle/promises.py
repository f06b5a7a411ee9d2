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


class PeopleOf(Shape):
    """Some people of a day: members of a group (effective), of an organization with all below, holders of a role, or one user."""

    group: Name | None = None
    organization: Name | None = None
    role: Name | None = None
    user: Name | None = None

    @model_validator(mode="after")
    def _one(self) -> "PeopleOf":
        if len([name for name in (self.group, self.organization, self.role, self.user) if name is not None]) != 1:
            raise ValueError("exactly one of group, organization, role, user")
        return self


class RowsSubject(Shape):
    """Some rows: reached by whoever sees one of them."""

    model: Name
    table: Name
    where: ConditionText | None = None


class ColumnSubject(Shape):
    """A column: reached by whoever sees one cell of it clear, or for whom it exists."""

    model: Name
    column: ColumnPath
    state: Literal["clear", "visible"] = "clear"


class MeasureSubject(Shape):
    """A measure: reached by whoever has a row that counts in it."""

    model: Name
    measure: Name


class ReachedSubject(Shape):
    """Something that may be reached: exactly one kind."""

    rows: RowsSubject | None = None
    column: ColumnSubject | None = None
    measure: MeasureSubject | None = None
    page: Name | None = None

    @model_validator(mode="after")
    def _one(self) -> "ReachedSubject":
        if len([kind for kind in (self.rows, self.column, self.measure, self.page) if kind is not None]) != 1:
            raise ValueError("a subject is exactly one of rows, column, measure, page")
        return self

    @property
    def model(self) -> str | None:
        """The model it is of; a page is of none here."""
        about = self.rows or self.column or self.measure
        return about.model if about is not None else None


class OnlyMust(Shape):
    """Nobody but these people reaches a subject."""

    subject: ReachedSubject
    people: list[PeopleOf] = Field(max_length=200)


class SharesMust(Shape):
    """Each row of a measure that base filters leave counts for exactly one of some viewers, or for at least one; a group stands for each member."""

    model: Name
    measure: Name
    viewers: list[PeopleOf] = Field(min_length=1, max_length=500)


MUST_KINDS = ("rows", "total", "values", "visible", "hidden", "pages", "same_as", "nothing", "only", "never_both", "adds_up", "covers")
#: Kinds about everybody at once: they stand without a viewer.
OVER_ALL = ("only", "never_both", "adds_up", "covers")


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
    only: OnlyMust | None = None
    never_both: list[ReachedSubject] | None = Field(default=None, min_length=2, max_length=2)
    adds_up: SharesMust | None = None
    covers: SharesMust | None = None

    @model_validator(mode="after")
    def _one_kind(self) -> "Must":
        if len([kind for kind in MUST_KINDS if getattr(self, kind) is not None]) != 1:
            raise ValueError(f"a promise is exactly one of {', '.join(MUST_KINDS)}")
        return self

    @property
    def is_over_all(self) -> bool:
        """Whether it is about everybody at once."""
        return any(getattr(self, kind) is not None for kind in OVER_ALL)


class Promise(Named):
    """Something that must hold for a viewer, for each of some, or over everybody at once."""

    viewer: ViewerReference | None = None
    viewers: Literal["everyone"] | PeopleOf | None = None
    must: Must

    @model_validator(mode="after")
    def _for_whom(self) -> "Promise":
        meant = (self.viewer is not None) + (self.viewers is not None)
        if meant != (0 if self.must.is_over_all else 1):
            raise ValueError("a promise is for a viewer or for viewers; only, never_both, adds_up and covers are for nobody in particular")
        return self
