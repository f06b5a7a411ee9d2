"""What a session has open: prepared statements, and portals with the rows that were not fetched yet."""

import itertools
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

from moorland.wire.backend import Asked
from moorland.wire.commands import Command
from moorland.wire.encoding import data_rows
from moorland.wire.messages import Described

MOST_OPEN = 500


@dataclass
class Statement:
    """A prepared statement: its command (None for an empty text), and its parameters' types and columns once they are known."""

    command: Command | None
    oids: list[int]
    columns: list[Described] | None = None
    known: bool = False


@dataclass
class Portal:
    """A statement with its values; its answer once it was asked, and how many rows of it were given."""

    statement: Statement
    values: list[Any] = field(default_factory=list)
    formats: list[int] = field(default_factory=list)
    answer: Asked | None = None
    given: int = 0
    #: Ends with the transaction.
    transient: bool = True

    def column_formats(self, columns: int) -> list[int]:
        """The format of each column, as the client asked."""
        return (self.formats or [0]) * columns if len(self.formats) <= 1 else self.formats

    def next_rows(self, count: int | None) -> Iterator[tuple[int, memoryview | bytes]]:
        """The next rows as messages, in blocks; None is all."""
        assert self.answer is not None
        table = self.answer.table.slice(self.given, count)
        for rows, data in data_rows(table, self.column_formats(table.num_columns)):
            self.given += rows
            yield rows, data

    @property
    def left(self) -> int:
        """How many rows were not given yet."""
        return self.answer.table.num_rows - self.given if self.answer is not None else 0


_numbers = itertools.count(1)


def next_number() -> int:
    """A number for a session; those of one process differ."""
    return next(_numbers) % 2**31
