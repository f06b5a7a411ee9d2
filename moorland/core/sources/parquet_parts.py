"""A Parquet file of more rows than are kept in memory, part by part."""

import threading
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet

from moorland.core.bundle.model import Table
from moorland.core.engine.columns import TableData
from moorland.core.sources.cells import check_columns
from moorland.core.sources.declared_columns import declared_columns
from moorland.core.sources.parquet_files import open_parquet
from moorland.core.sources.streamed_tables import StreamedTable, is_streamed

#: A part has about so many rows.
PART_ROWS = 1_000_000


def streamed_parquet(path: Path, table: Table) -> TableData | None:
    """A file as a table whose rows are read part by part; None where it is kept in memory."""
    opened = open_parquet(path, str(table.data))
    if not is_streamed(table, opened.metadata.num_rows):
        return None
    check_columns(opened.schema_arrow.names, table, str(table.data))
    declared_columns(opened.schema_arrow.empty_table(), [column for column in table.columns if not column.derived], str(table.data))
    told = path.stat()
    version = f"{path.resolve()} {told.st_size} {told.st_mtime_ns} {[(column.name, column.type) for column in table.columns]}"
    return TableData(version, 0, {}, StreamedTable(ParquetParts(path, table), table))


class ParquetParts:
    """The row groups of a file; of groups that are large, pieces."""

    def __init__(self, path: Path, table: Table) -> None:
        self._path, self._table = path, table
        opened = open_parquet(path, str(table.data))
        self.rows: int = opened.metadata.num_rows
        self._metadata = opened.metadata
        self._texts = [field.name for field in opened.schema_arrow if pa.types.is_dictionary(field.type)]

    def read(self, columns: Sequence[str]) -> Iterator[Callable[[], pa.Table]]:
        """The parts in their order, each read where it is asked for."""
        groups: list[int] = []
        rows = 0
        for number in range(self._metadata.num_row_groups):
            own = self._metadata.row_group(number).num_rows
            if groups and rows + own > PART_ROWS:
                yield partial(self._groups, groups, columns)
                groups, rows = [], 0
            if own > 2 * PART_ROWS:
                yield from self._pieces(number, columns)
                continue
            groups, rows = [*groups, number], rows + own
        if groups:
            yield partial(self._groups, groups, columns)

    def _open(self) -> pyarrow.parquet.ParquetFile:
        return pyarrow.parquet.ParquetFile(self._path, read_dictionary=self._texts, metadata=self._metadata)

    def _groups(self, groups: list[int], columns: Sequence[str]) -> pa.Table:
        # Each part by itself is read by one thread: another works on the part beside it.
        arrow = self._open().read_row_groups(groups, columns=self._some(columns), use_threads=False)
        return self._declared(arrow, columns)

    def _pieces(self, group: int, columns: Sequence[str]) -> Iterator[Callable[[], pa.Table]]:
        """A large group in pieces; they come one after another, whoever asks for the next."""
        rows = self._metadata.row_group(group).num_rows
        pieces = self._open().iter_batches(PART_ROWS, [group], columns=self._some(columns), use_threads=False)
        turn = threading.Lock()

        def next_piece() -> pa.Table:
            with turn:
                batch = next(pieces, None)
            found = pa.Table.from_batches([batch]) if batch is not None else self._open().schema_arrow.empty_table().select(self._some(columns))
            return self._declared(found, columns)

        for _ in range(-(-rows // PART_ROWS)):
            yield next_piece

    def _some(self, columns: Sequence[str]) -> list[str]:
        """The columns to read; one at least, by which rows are counted."""
        return list(columns) or [next(column.name for column in self._table.columns if not column.derived)]

    def _declared(self, arrow: pa.Table, columns: Sequence[str]) -> pa.Table:
        wanted = set(self._some(columns))
        return declared_columns(arrow, [column for column in self._table.columns if column.name in wanted], str(self._table.data))
