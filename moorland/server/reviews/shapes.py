"""What a review is, and what the addresses of reviews take and give."""

import datetime
from typing import Annotated, Literal

from pydantic import Field, model_validator

from moorland.core.bundle.shape import Name, Shape
from moorland.core.insight.impacts import ViewerImpact

Answer = Literal["keep", "take", "until", "ask"]
Title = Annotated[str, Field(min_length=1, max_length=200)]
Note = Annotated[str, Field(max_length=1000)]


class ReviewScope(Shape):
    """Which lines: some roles or all, people of some organizations, holders by some groups, only what opens sensitive columns; duties too, or not."""

    roles: Literal["all"] | list[Name] = "all"
    organizations: list[Name] = Field(default_factory=list, max_length=500)
    groups: list[Name] = Field(default_factory=list, max_length=500)
    sensitive: bool = False
    duties: bool = False


class ReviewText(Shape):
    """A review: its scope, who answers, by when, what becomes of what nobody answers, and whether it comes again."""

    title: Title
    scope: ReviewScope = Field(default_factory=ReviewScope)
    answered_by: Literal["role", "organization", "named"] = "role"
    named: Name | None = None
    days: int = Field(default=14, ge=1, le=365)
    unanswered: Literal["keep", "take"] = "keep"
    repeat: Literal["month", "quarter", "year"] | None = None

    @model_validator(mode="after")
    def _somebody(self) -> "ReviewText":
        if (self.answered_by == "named") != (self.named is not None):
            raise ValueError("say who answers, or whose keeper does")
        return self


class LineFacts(Shape):
    """What is told of a line: of whom, how and since when it is held, what it opens and against whom, and what would be lost."""

    name: str
    organization: str
    label: str
    restricts: bool = False
    held: list[str]
    #: The first day known; None where it is older than what is remembered.
    since: datetime.date | None
    remembered_since: datetime.date
    opens: str
    sensitive: list[str]
    peers: str
    last_used: datetime.date | None
    lost: str


class ReviewLineEntry(Shape):
    """A line as it stands."""

    id: int
    kind: Literal["role", "duty"]
    login: str
    subject: str
    model: str
    facts: LineFacts
    asked: str
    asked_name: str
    answer: Answer | None
    until: datetime.date | None
    note: str
    task: str
    answered_by: str
    answered_at: datetime.datetime | None


class ReviewEntry(Shape):
    """A review as it stands."""

    id: int
    text: ReviewText
    state: Literal["planned", "open", "closed"]
    version: int
    opener: str | None
    opens_on: datetime.date
    opened_at: datetime.datetime | None
    due: datetime.date | None
    closed_at: datetime.datetime | None
    lines: int
    answered: int
    tasks: int
    record_hash: str
    #: Whether the record of a closed review is as it was sealed.
    sound: bool
    trouble: str


class ReviewList(Shape):
    """The reviews, newest first; `may_open` says whether the account opens them."""

    reviews: list[ReviewEntry]
    may_open: bool


class ReviewDetail(Shape):
    """A review with its lines, as far as the account keeps them."""

    review: ReviewEntry
    lines: list[ReviewLineEntry]


class ReviewTried(Shape):
    """What a review would ask: how many lines, of how many people, and of whom it asks how many."""

    lines: int
    people: int
    asked: dict[str, int]


class AnswerRequest(Shape):
    """One answer to some lines of a review."""

    lines: list[int] = Field(min_length=1, max_length=500)
    answer: Answer
    until: datetime.date | None = None
    note: Note = ""

    @model_validator(mode="after")
    def _whole(self) -> "AnswerRequest":
        if (self.answer == "until") != (self.until is not None):
            raise ValueError("until a day needs that day")
        if self.answer == "ask" and not self.note.strip():
            raise ValueError("a question needs a note")
        return self


class AnswerAnswer(Shape):
    """What an answer does: who loses what, and what is left to others."""

    viewers: list[ViewerImpact]
    tasks: list[str]


class OwnReviews(Shape):
    """The lines somebody is asked about, of reviews that are open."""

    reviews: list[ReviewDetail]


class Mover(Shape):
    """Somebody who was elsewhere on a day: what of their place is otherwise, and what they still hold that only the old place gave."""

    login: str
    name: str
    changes: list[str]
    gained: list[str]
    lost: list[str]
    kept_roles: list[str]
    kept_groups: list[str]


class MoversAnswer(Shape):
    """Everybody who moved since a day."""

    since: datetime.date
    movers: list[Mover]
