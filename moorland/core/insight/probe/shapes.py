"""The shapes of what a probe finds, as `moorland probe --json` prints them."""

from typing import Literal

from moorland.core.bundle.shape import Scalar, Shape
from moorland.core.engine.questions import Question

FindKind = Literal["exact", "near", "door"]


class FoundSubject(Shape):
    """What is found: cells of a column or amounts of a measure, in a row, beneath a member, or in the rows a text means."""

    column: str | None = None
    measure: str | None = None
    row: Scalar | None = None
    member: list[Scalar | None] | None = None
    where: str | None = None


class Find(Shape):
    """Something a viewer can work out: by which questions, and by which arithmetic over their answers."""

    kind: FindKind
    model: str
    subject: FoundSubject
    value: float | None = None
    low: float | None = None
    high: float | None = None
    by: list[Question]
    arithmetic: str


class ViewerProbe(Shape):
    """What was found for a viewer, of how many questions, equations and unknowns; `same` see exactly the same.

    `left_out` says what the bounds kept from being looked at, `not_used` names measures whose lines were not used (MIN, MAX, ratios).
    """

    viewer: str
    same: list[str]
    questions: int
    equations: int
    unknowns: int
    found: list[Find]
    left_out: list[str]
    not_used: list[str]
