"""The shapes of sources: engines that hold tables of their own, and where in one a table stands (sources.md 17)."""

from typing import Annotated, Literal

from pydantic import Field, StringConstraints, model_validator

from moorland.core.bundle.shape import Name, Named, Shape

SourceKind = Literal["sqlite", "duckdb", "postgres", "spark"]
#: The kinds that are files; the others are reached over a network.
FILE_KINDS: tuple[SourceKind, ...] = ("sqlite", "duckdb")
#: A name in an engine: never text of a statement.
Identifier = Annotated[str, StringConstraints(min_length=1, max_length=128, pattern=r"^[^\x00\"]+$")]
Relation = Annotated[list[Identifier], Field(min_length=1, max_length=3)]


class Marker(Shape):
    """One value that changes with the data: a relation of one row, and its column."""

    relation: Relation
    column: Identifier


class Source(Named):
    """A connection to an engine, without its secret."""

    kind: SourceKind
    file: str | None = Field(default=None, min_length=1, max_length=400)
    host: Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9._:-]+$", max_length=253)] | None = None
    port: int | None = Field(default=None, ge=1, le=65_535)
    database: str | None = Field(default=None, min_length=1, max_length=128)
    user: str | None = Field(default=None, min_length=1, max_length=128)
    tls: Literal["off", "required", "verified"] = "required"
    #: Figures may be so many minutes old; 0: what is kept is looked at again for every question.
    minutes: int = Field(default=10, ge=0, le=10_080)
    marker: Marker | None = None
    writable: bool = False

    @model_validator(mode="after")
    def _settings_of_its_kind(self) -> "Source":
        reached = {"host": self.host, "port": self.port, "database": self.database, "user": self.user}
        if self.kind in FILE_KINDS:
            given = [name for name, value in reached.items() if value is not None]
            if self.file is None or given:
                raise ValueError(f"a {self.kind} source has a file" + (f", and no {given[0]}" if given else ""))
        elif self.file is not None or self.host is None:
            raise ValueError(f"a {self.kind} source has a host, and no file")
        elif (self.database is None) == (self.kind == "postgres"):
            raise ValueError("a postgres source has a database; a spark source has none, its relations are named with their catalog")
        return self


class Placement(Shape):
    """Where a table stays: a relation of a source, its columns named as in the model."""

    source: Name
    relation: Relation
