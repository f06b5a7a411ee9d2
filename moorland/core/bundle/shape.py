"""What every shape of a bundle shares: strict reading and the annotations that are kept but never evaluated."""

import datetime
from typing import Annotated, Literal, get_args

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

ValueType = Literal["text", "integer", "number", "boolean", "date", "timestamp"]
#: The types by their names; what is not among them (a bare null, an interval) is of no type a column has.
VALUE_TYPES: dict[str, ValueType] = {kind: kind for kind in get_args(ValueType)}

#: A value as it stands in YAML or JSON; dates and timestamps are ISO strings, typed by the attribute or column they belong to.
Scalar = bool | int | float | str

Name = Annotated[str, StringConstraints(min_length=1, max_length=200, pattern=r"^\S(.*\S)?$")]
ConditionText = Annotated[str, StringConstraints(min_length=1, max_length=20_000)]
#: The filter of a question: written by a program as often as by hand, from all the values a page is narrowed by.
FilterText = Annotated[str, StringConstraints(min_length=1, max_length=400_000)]
Day = Annotated[datetime.date, Field(strict=False)]


class Shape(BaseModel):
    """A part of a bundle. Unknown keys are errors; nothing is converted silently."""

    model_config = ConfigDict(extra="forbid", strict=True, populate_by_name=True, frozen=True)


class Named(Shape):
    """Something with a name, and the notes that are shown and never evaluated."""

    name: Name
    label: str | None = Field(default=None, max_length=200)
    about: str | None = Field(default=None, max_length=4000)
    keeper: str | None = Field(default=None, max_length=200)
    reason: str | None = Field(default=None, max_length=4000)
    review_by: Day | None = None

    @property
    def title(self) -> str:
        """The label, or the name where there is none."""
        return self.label or self.name
