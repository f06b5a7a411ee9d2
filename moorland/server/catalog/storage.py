"""Keeps tables as compressed column chunks, and loads them into the engine's columns once."""

import threading
import uuid
from collections import OrderedDict
from collections.abc import Callable, Iterable
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from django.db import transaction
from django.db.models import Q, QuerySet

from moorland.core.bundle.model import Model, Table
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.shape import ValueType
from moorland.core.engine.columns import ARROW_TYPES, TableData, empty_table
from moorland.core.sources.files import to_table_data
from moorland.core.sources.streamed_tables import StreamedTable, is_streamed
from moorland.server.catalog.chunks import ContentEnded, ContentParts, as_declared, packed, refuse_ended, unpacked
from moorland.server.catalog.models import ColumnChunk, TableContent

CHUNK_ROWS = 1_000_000
#: Tables stay in memory up to so many bytes; draft, live and staged contents share what is equal.
LOADED_BYTES = 4 * 1024**3

_loaded: OrderedDict[str, TableData] = OrderedDict()
_lock = threading.Lock()


class ContentWriter:
    """Writes a content of a table, batch by batch, without holding it in memory; nobody reads it before `finish`."""

    def __init__(self, model: str, table: str, key: str | None, file: str, **more: object) -> None:
        self.content = TableContent.objects.create(model=model, table=table, state="arriving", source=file[:300], **more)
        self.rows = 0
        self._key, self._file = key, file
        self._keys: list[Any] | None = [] if key else None
        self._ordinals: dict[str, int] = {}
        self._waiting: list[tuple[str, Future[bytes]]] = []
        # Threads of its own: those of a module would not survive the fork by which the server starts.
        self._packing = ThreadPoolExecutor(max_workers=2, thread_name_prefix="packing")

    def add(self, arrow: pa.Table) -> None:
        """Adds rows; they are packed while the next are read, and written then. Raises BundleError where the key is null."""
        if self._keys is not None:
            self._add_key(arrow.column(self._key))
        for start in range(0, arrow.num_rows, CHUNK_ROWS):
            part = arrow.slice(start, CHUNK_ROWS)
            packing = [(name, self._packing.submit(packed, part.column(name))) for name in part.column_names]
            self._write_packed()
            self._waiting = packing
        self.rows += arrow.num_rows

    def _write_packed(self) -> None:
        chunks = []
        for name, packing in self._waiting:
            ordinal = self._ordinals.get(name, 0)
            self._ordinals[name] = ordinal + 1
            chunks.append(ColumnChunk(table_content=self.content, column=name, ordinal=ordinal, data=packing.result()))
        self._waiting = []
        # Each in a moment of its own: nobody who writes waits for more than one of them.
        for chunk in chunks:
            chunk.save(force_insert=True)

    def _add_key(self, keys: pa.ChunkedArray) -> None:
        if keys.null_count:
            row = self.rows + pc.index(pc.is_null(keys), True).as_py() + 1
            raise BundleError([Problem("key", f"the key {self._key} is empty in data row {row:,}.", self._file)])
        assert self._keys is not None
        self._keys.append(keys)

    def finish(self, state: str) -> TableContent:
        """Names the content and gives it its state. Raises BundleError where a key stands twice."""
        self._write_packed()
        self._packing.shutdown()
        if self._keys:
            _refuse_double_keys(pa.chunked_array([chunk for keys in self._keys for chunk in keys.chunks]), str(self._key), self._file)
        self.content.content = uuid.uuid4().hex
        self.content.rows, self.content.state = self.rows, state
        self.content.save()
        return self.content

    def discard(self) -> None:
        """Takes back everything written."""
        self._packing.shutdown(cancel_futures=True)
        remove(self.content)


def _refuse_double_keys(keys: pa.ChunkedArray, key: str, file: str) -> None:
    if pa.types.is_integer(keys.type):
        values = keys.to_numpy()
        if len(values) < 2 or bool(np.all(values[1:] > values[:-1])):
            return
    counts = pc.value_counts(keys)
    if len(counts) < len(keys):
        twice = pc.index(pc.greater(counts.field(1), 1), True).as_py()
        raise BundleError([Problem("key", f"the key {key} = {counts[twice]['values']} stands {counts[twice]['counts']} times; a key stands once.", file)])


def make_current(content: TableContent) -> None:
    """Lets a finished content be what is answered from, in place of the one before, which is removed bit by bit afterwards."""
    with transaction.atomic():
        TableContent.objects.filter(model=content.model, table=content.table, state="current").exclude(pk=content.pk).update(state="ended")
        content.state = "current"
        content.save(update_fields=["state"])


def remove(content: TableContent) -> None:
    """Removes a content nobody reads, a few chunks at a time, so that nobody who writes waits for it."""
    TableContent.objects.filter(pk=content.pk).update(state="ended")
    while some := list(content.chunks.values_list("pk", flat=True)[:8]):
        ColumnChunk.objects.filter(pk__in=some).delete()
    content.delete()


def remove_ended() -> None:
    """Removes every content in whose place another stands."""
    for content in TableContent.objects.filter(state="ended"):
        remove(content)


def store_table(model: str, table: Table, parts: Iterable[pa.Table], source: str = "") -> TableContent:
    """Replaces the content of a table, whole or not at all, by rows that come in parts."""
    with transaction.atomic():
        writer = ContentWriter(model, table.name, table.key, source or str(table.data or table.name))
        for arrow in parts:
            writer.add(arrow)
        content = writer.finish("staged")
        make_current(content)
    remove_ended()
    return content


def load_table(model: Model, name: str) -> TableData:
    """The data of a table as the engine keeps it; loaded once for each content and shape."""
    shape = next(table for table in model.tables if table.name == name)
    while True:
        content = TableContent.objects.filter(model=model.name, table=name, state="current").first()
        try:
            return load_content(shape, content)
        except ContentEnded:
            continue


def load_with(*staged: TableContent) -> Callable[[Model, str], TableData]:
    """Loads tables as `load_table` does, but some with their staged content."""
    found = arriving(*staged)
    return lambda model, name: found(model, name) or load_table(model, name)


def arriving(*staged: TableContent) -> Callable[[Model, str], TableData | None]:
    """Staged contents as tables; None for all others."""
    contents = {(content.model, content.table): content for content in staged}

    def load(model: Model, name: str) -> TableData | None:
        content = contents.get((model.name, name))
        return None if content is None else load_content(next(table for table in model.tables if table.name == name), content)

    return load


def load_content(table: Table, content: TableContent | None) -> TableData:
    """A content as the columns a table declares, or as a table that is read chunk by chunk (sources.md 18.8); a declared column it lacks is null in every row.

    Raises ContentEnded where it may have been removed meanwhile: nothing that was read of it is used.
    """
    columns = [(column.name, column.type) for column in table.columns if not column.derived]
    if content is None:
        return empty_table(columns)
    key = f"{content.content}:{columns}"
    if is_streamed(table, content.rows):
        return TableData(key, 0, {}, StreamedTable(ContentParts(content, table), table))
    with _lock:
        if key in _loaded:
            _loaded.move_to_end(key)
            return _loaded[key]
    read = {column: _column(content, column, type_) for column, type_ in columns}
    refuse_ended(content)
    data = to_table_data(pa.table(read), table)
    with _lock:
        kept = _loaded.setdefault(key, data)
        while len(_loaded) > 1 and sum(table.bytes for table in _loaded.values()) > LOADED_BYTES:
            _loaded.popitem(last=False)
        return kept


def column_values(content: TableContent, column: str, type_: ValueType) -> pa.ChunkedArray:
    """One column of a content."""
    return _column(content, column, type_)


def first_values(content: TableContent, column: str, type_: ValueType) -> pa.ChunkedArray:
    """The first values of a column: those of its first chunk."""
    return _column(content, column, type_, content.chunks.filter(column=column, ordinal=0))


def _column(content: TableContent, column: str, type_: ValueType, some: QuerySet[ColumnChunk] | None = None) -> pa.ChunkedArray:
    stored = content.chunks.filter(column=column).order_by("ordinal") if some is None else some
    chunks = [unpacked(bytes(chunk.data)) for chunk in stored]
    if not chunks:
        return pa.nulls(content.rows, ARROW_TYPES[type_])
    held = pa.chunked_array([piece for chunk in chunks for piece in chunk.chunks], type=chunks[0].type)
    declared = as_declared(held, type_)
    # Declared otherwise than it was brought in: nothing of it is shown until it is brought in anew (fail closed).
    return declared if declared is not None else pa.nulls(content.rows, ARROW_TYPES[type_])


def remove_unfinished() -> None:
    """At the start of the process that answers: what was being written, or staged and shown to nobody yet, when it ended last is taken back."""
    TableContent.objects.filter(Q(state="arriving") | Q(state="staged", report={})).update(state="ended")
    remove_ended()
