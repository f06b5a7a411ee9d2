"""What a schedule is, and what is told of it."""

import datetime
from typing import Annotated, Literal

from pydantic import Field, StringConstraints, model_validator

from moorland.core.bundle.shape import Name, Shape
from moorland.core.bundle.sources import Relation

TimeOfDay = Annotated[str, StringConstraints(pattern=r"^([01]\d|2[0-3]):[0-5]\d$")]
Weekday = Literal["mon", "tue", "wed", "thu", "fri", "sat", "sun"]
RunState = Literal["running", "accepted", "same", "waiting", "failed"]


class When(Shape):
    """Every so many minutes, or at a time of day, daily or on some days of the week; in the workspace's time zone."""

    minutes: int | None = Field(default=None, ge=5, le=1_440)
    at: TimeOfDay | None = None
    days: list[Weekday] = Field(default_factory=list, max_length=7)

    @model_validator(mode="after")
    def _one_way(self) -> "When":
        if (self.minutes is None) == (self.at is None) or (self.days and self.at is None):
            raise ValueError("a schedule runs every so many minutes, or at a time of day")
        return self


class Agreed(Shape):
    """Within what a refresh is accepted by itself: so many percent of rows, keys and values may vanish, and nobody gains rows of sensitive tables."""

    percent: int = Field(default=10, ge=0, le=100)
    nobody_gains_sensitive: bool = True
    no_promise_breaks: bool = True


class ScheduleText(Shape):
    """A table, the relation it is read from, when, and what was agreed."""

    model: Name
    table: Name
    source: Name
    relation: Relation
    when: When
    agreed: Agreed = Field(default_factory=Agreed)


class ScheduleSave(Shape):
    """A schedule to keep; null as version makes a new one."""

    text: ScheduleText
    enabled: bool = True
    version: int | None = None


class RunEntry(Shape):
    """A run, in words."""

    began_at: datetime.datetime
    ended_at: datetime.datetime | None
    state: RunState
    message: str
    rows: int | None


class ScheduleEntry(Shape):
    """A schedule as it stands, with its last runs."""

    id: int
    text: ScheduleText
    enabled: bool
    version: int
    keeper: str | None
    next_at: datetime.datetime | None
    running: bool
    runs: list[RunEntry]


class ChecksScheduleSave(Shape):
    """When promises run by themselves, beside after each change; null as `when` never. `version` is the one that was read, null makes a new one."""

    when: When | None
    version: int | None = None


class ChecksScheduleEntry(Shape):
    """When promises run by themselves (null: after changes only), when next, and what came of it last."""

    when: When | None
    version: int | None
    keeper: str | None
    next_at: datetime.datetime | None
    running: bool
    last_at: datetime.datetime | None
    last_message: str
    last_well: bool
    time_zone: str


class ScheduleList(Shape):
    """The schedules of a model."""

    schedules: list[ScheduleEntry]
    time_zone: str
