"""Chunks of columns: how they are packed and unpacked, and a content of more rows than are kept in memory, read chunk by chunk."""

from collections.abc import Callable, Iterator, Sequence
from functools import partial

import pyarrow as pa
import pyarrow.compute as pc

from moorland.core.bundle.model import Table
from moorland.core.bundle.shape import ValueType
from moorland.core.engine.columns import ARROW_TYPES
from moorland.server.catalog.models import ColumnChunk, TableContent
from moorland.server.errors import Failure


class ContentEnded(Failure):
    """Another content took the place of one while it was being read: what was read may be half of it."""

    def __init__(self, content: TableContent) -> None:
        super().__init__(409, "stale", f"Another content took the place of this one of {content.table} meanwhile. Look again, then decide.")


def refuse_ended(content: TableContent) -> None:
    """Raises ContentEnded where a content may have been removed meanwhile: nothing that was read of it before is used then."""
    if not TableContent.objects.filter(pk=content.pk).exclude(state="ended").exists():
        raise ContentEnded(content)


def packed(column: pa.ChunkedArray) -> bytes:
    """A column's chunk as a compressed Arrow stream of the narrowest type that holds it."""
    batch = pa.table({"c": _narrow(column)})
    sink = pa.BufferOutputStream()
    with pa.ipc.new_stream(sink, batch.schema, options=pa.ipc.IpcWriteOptions(compression="lz4", use_threads=False)) as writer:
        writer.write_table(batch)
    return bytes(sink.getvalue().to_pybytes())


def _narrow(column: pa.ChunkedArray) -> pa.ChunkedArray:
    """Whole numbers in as few bytes as hold them; texts that repeat, as codes."""
    if pa.types.is_integer(column.type) and column.null_count < len(column):
        ends = pc.min_max(column)
        least, greatest = ends["min"].as_py(), ends["max"].as_py()
        fitting = next((type_ for bits, type_ in ((7, pa.int8()), (15, pa.int16()), (31, pa.int32())) if -(1 << bits) <= least and greatest < 1 << bits), None)
        return column.cast(fitting) if fitting is not None else column
    if pa.types.is_string(column.type) and pc.count_distinct(column.slice(0, 2_000)).as_py() <= 200:
        return pc.dictionary_encode(column)
    return column


def unpacked(chunk: bytes) -> pa.ChunkedArray:
    """A column's chunk as it was packed."""
    return pa.ipc.open_stream(chunk).read_all().column(0)


def as_declared(held: pa.ChunkedArray, type_: ValueType) -> pa.ChunkedArray | None:
    """A column in the Arrow type of its declared type; None where it was brought in as something else."""
    if held.type == ARROW_TYPES[type_]:
        return held
    try:
        return held.cast(ARROW_TYPES[type_])
    except (pa.ArrowInvalid, pa.ArrowNotImplementedError):
        return None


class ContentParts:
    """The rows of a content, a chunk of each column at a time.

    Chunks are read by whoever asks for the parts, who has the connection, and unpacked by whoever works on them.
    """

    def __init__(self, content: TableContent, table: Table) -> None:
        self.rows = content.rows
        self._content = content
        self._types = {column.name: column.type for column in table.columns if not column.derived}

    def read(self, columns: Sequence[str]) -> Iterator[Callable[[], pa.Table]]:
        """The parts in their order. Raises ContentEnded where another content took this one's place."""
        held = set(self._content.chunks.filter(ordinal=0).values_list("column", flat=True))
        if not held:
            refuse_ended(self._content)
        wanted = [name for name in columns if name in held] or sorted(held)[:1]
        for ordinal in range(self._content.chunks.filter(column__in=wanted[:1]).count()):
            chunks = {chunk.column: bytes(chunk.data) for chunk in ColumnChunk.objects.filter(table_content=self._content, ordinal=ordinal, column__in=wanted)}
            refuse_ended(self._content)
            yield partial(self._part, chunks, columns)

    def _part(self, chunks: dict[str, bytes], columns: Sequence[str]) -> pa.Table:
        read = {name: unpacked(chunk) for name, chunk in chunks.items()}
        rows = len(next(iter(read.values())))
        made = {name: self._column(name, read.get(name), rows) for name in columns}
        return pa.table(made or read)

    def _column(self, name: str, held: pa.ChunkedArray | None, rows: int) -> pa.ChunkedArray:
        """A column of a part; a declared column the content lacks is null. Raises ValueError where it was brought in as something else."""
        if held is None:
            return pa.chunked_array([pa.nulls(rows, ARROW_TYPES[self._types[name]])])
        declared = as_declared(held, self._types[name])
        if declared is None:
            raise ValueError(f"{name} was brought in as {held.type}, and is declared as {self._types[name]}. Bring it in anew.")
        return declared
