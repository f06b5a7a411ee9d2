"""The shapes of sources: engines that hold tables of their own, and where in one a table stands (sources.md 17)."""

import re
from collections.abc import Mapping
from typing import Annotated, Literal

from pydantic import Field, StringConstraints, model_validator

from moorland.core.bundle.shape import Name, Named, Shape

SourceKind = Literal["sqlite", "duckdb", "postgres", "spark"]
#: The kinds that are files; the others are reached over a network.
FILE_KINDS: tuple[SourceKind, ...] = ("sqlite", "duckdb")
#: A name in an engine: never text of a statement.
Identifier = Annotated[str, StringConstraints(min_length=1, max_length=128, pattern=r"^[^\x00\"]+$")]
Relation = Annotated[list[Identifier], Field(min_length=1, max_length=3)]

#: What stands in a setting for a value of whoever asks (sources.md 17.2).
PLACEHOLDER = re.compile(r"\{viewer\.([^{}\s]+)\}")
#: What a value may be that is put in its place: nothing that leads out of a folder, or ends a name.
SETTING_VALUE = re.compile(r"[A-Za-z0-9_-]+")


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
    #: The schema of relations that are named without one.
    schema_: Identifier | None = Field(default=None, alias="schema")
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
        if self.schema_ is not None and self.kind == "sqlite":
            raise ValueError("a sqlite source has no schema")
        wrong = next((text for text in self._by_viewer() if re.search(r"[{}]", PLACEHOLDER.sub("", text))), None)
        if wrong is not None:
            raise ValueError(f"in {wrong}, braces may only hold a value of whoever asks, as {{viewer.region}}")
        return self

    def _by_viewer(self) -> list[str]:
        """The settings that may hold placeholders, as written."""
        return [text for text in (self.file, self.database, self.schema_) if text is not None]

    @property
    def attributes(self) -> tuple[str, ...]:
        """The attributes of whoever asks that its settings depend on (17.2)."""
        return tuple(dict.fromkeys(name for text in self._by_viewer() for name in PLACEHOLDER.findall(text)))

    def resolved(self, values: Mapping[str, str]) -> "Source":
        """The source with values in place of its placeholders; every attribute it depends on has one (17.2)."""
        if not self.attributes:
            return self
        written = {"file": self.file, "database": self.database, "schema_": self.schema_}
        return self.model_copy(update={name: PLACEHOLDER.sub(lambda found: values[found[1]], text) for name, text in written.items() if text is not None})

    def relation(self, named: list[str]) -> list[str]:
        """A relation as the engine is asked for it: in the schema of the source, where it is named without one."""
        return [self.schema_, *named] if self.schema_ is not None and len(named) == 1 else named


class Placement(Shape):
    """Where a table stays: a relation of a source, its columns named as in the model."""

    source: Name
    relation: Relation
