"""What the API tells and takes of sources; secrets go in and never out."""

import datetime

from pydantic import Field

from moorland.core.bundle.shape import Name, Shape
from moorland.core.bundle.sources import Relation, Source
from moorland.core.engine.questions import ChangeQuestion
from moorland.core.sources.describing import FoundColumn, FoundRelation


class SourceTable(Shape):
    """A table that stays in a source."""

    model: str
    table: str
    relation: list[str]


class SourceEntry(Shape):
    """A source as it is stored, whether it has a secret, where it is used, and what it failed with last."""

    source: Source
    version: int
    has_secret: bool
    used: list[SourceTable]
    trouble: str | None
    troubled_at: datetime.datetime | None


class SourceList(Shape):
    """The sources an account keeps or may bind tables to; the folders and hosts they may be on."""

    sources: list[SourceEntry]
    folders: list[str]
    hosts: list[str]
    may_add: bool


class SourceSave(Shape):
    """A source to keep; `version` is the one that was read, null makes a new one. `secret` null leaves the stored one as it is, empty takes it away."""

    source: Source
    version: int | None = None
    secret: str | None = Field(default=None, max_length=4_000)


class SourceTry(Shape):
    """A source to be tried before it is kept; without a secret with the stored one of its name."""

    source: Source
    secret: str | None = Field(default=None, max_length=4_000)
    #: As whom: where settings depend on who asks, for the first person for whom they are set unless somebody is named.
    login: Name | None = None


class ChosenSetting(Shape):
    """A value of somebody that stands in the settings of a source, and where it comes from; null where it is not set."""

    attribute: str
    value: str | None
    whence: str


class SourceContent(Shape):
    """One combination of values that choose a source's settings: how many people have it, some of them, and whether it works for them."""

    values: dict[str, str | None]
    people: int
    logins: list[str]
    works: bool
    message: str


class SourceForEveryone(Shape):
    """Every combination of values that people have who hold a role on one of the models that use it (all people, where none does); those that fail first."""

    contents: list[SourceContent]
    models: list[str]


class TriedTable(Shape):
    """A table that stays in a source: whether a row of it was read, and how it is other than declared."""

    model: str
    table: str
    differences: list[str]


class SourceTried(Shape):
    """Whether a source was reached, in one sentence; its relations, and the tables that stay in it."""

    reached: bool
    message: str
    relations: list[FoundRelation]
    tables: list[TriedTable]
    settings: list[ChosenSetting] = Field(default_factory=list)


class RelationAsked(Shape):
    """A relation of a source."""

    relation: Relation


class RelationTold(Shape):
    """The columns of a relation, with the types they are read as, how many rows it has, and what could be its key."""

    columns: list[FoundColumn]
    rows: int
    keys: list[str]


class PlaceTable(Shape):
    """A table to leave in a source: a new one of a model, with some columns of a relation."""

    table: Name
    label: str | None = Field(default=None, max_length=200)
    source: Name
    relation: Relation
    columns: list[Name] = Field(min_length=1, max_length=1_000)
    key: Name | None = None


class MoveTable(Shape):
    """Where a table's rows are to be: in a source, or (null) here, as they are in the source now."""

    source: Name | None
    relation: Relation | None = None


class ChangeApply(Shape):
    """A change to make, and how many rows were meant when it was tried."""

    change: ChangeQuestion
    expected: int = Field(ge=0)


class ChangeApplied(Shape):
    """How many rows were changed."""

    changed: int
