"""What the addresses of models and their data take and give."""

from typing import Annotated, Any, Literal

from pydantic import Field

from moorland.core.bundle.model import Model, Relationship
from moorland.core.bundle.shape import Name, Shape
from moorland.core.insight.profile import ColumnProfile, RelationshipHealth
from moorland.core.insight.refreshing import RefreshReport
from moorland.core.sources.proposals import ConfirmedColumn
from moorland.core.sources.readings import FileReading
from moorland.server.errors import ProblemShape


class UploadAnswer(Shape):
    """A file that was brought here."""

    id: str
    name: str
    size: int


class GridRequest(Shape):
    """How to read the file; left out, the best guess is made. With `header_chosen` the header's row stays as it is."""

    reading: FileReading | None = None
    header_chosen: bool = False


class GridAnswer(Shape):
    """The first rows of a file as they stand; `refused` says why it cannot be read this way."""

    reading: FileReading
    sheets: list[str]
    rows: list[list[str]]
    headers: list[str]
    proposed_header_row: int
    problems: list[ProblemShape]
    refused: ProblemShape | None


class SourceChoice(Shape):
    """An uploaded file, and how it is read."""

    upload: str
    reading: FileReading


class ProposalRequest(Shape):
    """Files to make tables of, beside those of a model where one is named."""

    model: Name | None = None
    sources: list[SourceChoice] = Field(min_length=1, max_length=60)


class ConfirmedTable(SourceChoice):
    """A table as somebody confirmed it."""

    name: Name
    label: str | None = Field(default=None, max_length=200)
    key: Name | None = None
    columns: list[ConfirmedColumn] = Field(min_length=1, max_length=2_000)


class ImportRequest(Shape):
    """Tables to bring in: into a new model, or into one that is there."""

    model: Name
    label: str | None = Field(default=None, max_length=200)
    new_model: bool
    tables: list[ConfirmedTable] = Field(min_length=1, max_length=60)
    relationships: list[Relationship] = Field(default_factory=list, max_length=400)
    quarantine: bool = False


class RefreshRequest(SourceChoice):
    """New content for a table. Headers are matched with columns by name; `columns` says it where they differ."""

    columns: dict[str, Annotated[int, Field(ge=0)]] = Field(default_factory=dict)


class StagedContent(Shape):
    """A refresh that waits to be accepted."""

    id: int
    model: str
    table: str
    source: str
    rows: int
    at: str
    by: str | None
    report: RefreshReport
    #: Whose views it was compared by: live, or the draft's while the table is not live yet.
    compared: Literal["live", "draft"]


class RefreshesAnswer(Shape):
    """All that wait."""

    refreshes: list[StagedContent]


class ModelSave(Shape):
    """A model to save; `version` is the one that was edited."""

    document: Model
    version: int


class NewModel(Shape):
    """A model without tables yet."""

    name: Name
    label: str | None = None


class SentenceTouch(Shape):
    """A sentence that reads or names a column or table."""

    role: str
    label: str
    sentence: int
    kind: str
    object: str


class TableProfile(Shape):
    """What a table holds, and what touches it."""

    table: str
    rows: int
    content: str | None
    source: str
    brought_at: str | None
    kept: bool
    columns: list[ColumnProfile]
    relationships: list[RelationshipHealth]
    touches: list[SentenceTouch]
    dependents: dict[str, list[str]]


class MeasureRequest(Shape):
    """A measure, or a derived column, while it is edited. `name` is left out while it has none yet."""

    table: Name
    name: Name | None = None
    expression: str = Field(max_length=20_000)
    kind: Literal["measure", "column"]


class MeasureCheck(Shape):
    """What an edited measure or derived column gives over all data, what it reads and what builds on it; or what is wrong with it."""

    problem: ProblemShape | None
    value: Any
    type: str | None
    samples: list[Any]
    inputs: list[str]
    dependents: list[str]
