"""Keeps Arrow tables as compressed column chunks, and loads them into the engine's columns once."""

import threading

import pyarrow as pa
from django.db import transaction

from moorland.core.bundle.model import Model, Table
from moorland.core.engine.columns import ARROW_TYPES, TableData, empty_table
from moorland.core.sources.files import to_table_data
from moorland.server.catalog.models import ColumnChunk, TableContent

CHUNK_ROWS = 1_000_000

_loaded: dict[str, TableData] = {}
_lock = threading.Lock()


def store_table(model: str, table: Table, arrow: pa.Table) -> TableContent:
    """Replaces the content of a table, whole or not at all."""
    data = to_table_data(arrow, table)
    options = pa.ipc.IpcWriteOptions(compression="zstd")
    with transaction.atomic():
        TableContent.objects.filter(model=model, table=table.name).delete()
        content = TableContent.objects.create(model=model, table=table.name, content=data.version, rows=arrow.num_rows)
        for name in arrow.column_names:
            for ordinal, start in enumerate(range(0, max(arrow.num_rows, 1), CHUNK_ROWS)):
                part = arrow.select([name]).slice(start, CHUNK_ROWS)
                sink = pa.BufferOutputStream()
                with pa.ipc.new_stream(sink, part.schema, options=options) as writer:
                    writer.write_table(part)
                ColumnChunk.objects.create(table_content=content, column=name, ordinal=ordinal, data=sink.getvalue().to_pybytes())
    return content


def load_table(model: Model, name: str) -> TableData:
    """The data of a table as the engine keeps it; loaded once for each content and shape."""
    table = next(table for table in model.tables if table.name == name)
    content = TableContent.objects.filter(model=model.name, table=name).first()
    columns = [(column.name, column.type) for column in table.columns if not column.derived]
    if content is None:
        return empty_table(columns)
    key = f"{content.content}:{columns}"
    with _lock:
        if key not in _loaded:
            arrays = {column: _column(content, column, type_) for column, type_ in columns}
            _loaded[key] = to_table_data(pa.table(arrays), table)
        return _loaded[key]


def _column(content: TableContent, column: str, type_: str) -> pa.ChunkedArray:
    chunks = [pa.ipc.open_stream(bytes(chunk.data)).read_all().column(0) for chunk in content.chunks.filter(column=column).order_by("ordinal")]
    if not chunks:
        return pa.nulls(content.rows, ARROW_TYPES[type_])
    return pa.chunked_array([piece for chunk in chunks for piece in chunk.chunks], type=ARROW_TYPES[type_])
