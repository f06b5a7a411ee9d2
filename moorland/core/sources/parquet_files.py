"""Parquet files: their types, and their columns as values of the six types."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.parquet

from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.shape import ValueType
from moorland.core.engine.columns import ARROW_TYPES
from moorland.core.sources.cells import refuse_long_cells
from moorland.core.sources.readings import BATCH_ROWS, MAX_CELL, MAX_COLUMNS, ColumnRead
from moorland.core.sources.spellings import Unreadable, read_texts


def open_parquet(path: Path, name: str) -> pyarrow.parquet.ParquetFile:
    """The file, its texts to be read as codes: a text that stands in a million rows is in memory once.

    Raises BundleError where it cannot be read, has too many columns, or cells larger than a cell may be.
    """
    try:
        plain = pyarrow.parquet.ParquetFile(path)
        texts = [column.name for column in plain.schema_arrow if pa.types.is_string(column.type) or pa.types.is_large_string(column.type)]
        opened = pyarrow.parquet.ParquetFile(path, read_dictionary=texts) if texts else plain
        _check_bounds(opened, name)
    except BundleError:
        raise
    except Exception as error:  # whatever the broken part raises
        raise BundleError([Problem("parquet", f"not readable as Parquet: {str(error)[:200]}.", name)]) from None
    return opened


def _check_bounds(opened: pyarrow.parquet.ParquetFile, name: str) -> None:
    metadata = opened.metadata
    if metadata.num_columns > MAX_COLUMNS:
        raise BundleError([Problem("width", f"{metadata.num_columns:,} columns; at most {MAX_COLUMNS:,} are read.", name)])
    for number in range(metadata.num_row_groups):
        group = metadata.row_group(number)
        for place in range(group.num_columns):
            column = group.column(place)
            if column.total_uncompressed_size > (group.num_rows + 64) * 4 * MAX_CELL:
                raise BundleError([Problem("cell", f"its cells hold more than {MAX_CELL:,} signs each.", f"{name}, column {column.path_in_schema}")])


def _batch_rows(opened: pyarrow.parquet.ParquetFile) -> int:
    """How many rows are read at once, so that a batch stays near a hundred megabytes."""
    metadata = opened.metadata
    sizes = (metadata.row_group(number) for number in range(metadata.num_row_groups))
    widest = max((group.total_byte_size / max(group.num_rows, 1) for group in sizes), default=1)
    return int(min(BATCH_ROWS, max(64, 128 * 1024 * 1024 / max(widest, 1))))


def parquet_batches(opened: pyarrow.parquet.ParquetFile, name: str, rows: int) -> Iterator[pa.RecordBatch]:
    """All columns, so many rows at a time or fewer. Raises BundleError where the file breaks off."""
    try:
        yield from opened.iter_batches(min(rows, _batch_rows(opened)))
    except Exception as error:  # whatever the broken part raises
        raise BundleError([Problem("parquet", f"the file breaks off or is damaged: {str(error)[:200]}.", name)]) from None


def parquet_type(type_: pa.DataType) -> ValueType | None:
    """The type of values a Parquet column holds; None for lists, maps and the like."""
    if pa.types.is_dictionary(type_):
        type_ = type_.value_type
    kinds: list[tuple[Any, ValueType]] = [
        (pa.types.is_string, "text"),
        (pa.types.is_large_string, "text"),
        (pa.types.is_boolean, "boolean"),
        (pa.types.is_integer, "integer"),
        (pa.types.is_floating, "number"),
        (pa.types.is_decimal, "number"),
        (pa.types.is_date, "date"),
        (pa.types.is_timestamp, "timestamp"),
        (pa.types.is_null, "text"),
    ]
    return next((kind for test, kind in kinds if test(type_)), None)


def parquet_types(path: Path, name: str) -> list[ValueType | None]:
    """The types of a Parquet file's columns, in their order."""
    return [parquet_type(column.type) for column in open_parquet(path, name).schema_arrow]


def parquet_tables(path: Path, name: str, columns: list[ColumnRead]) -> Iterator[pa.Table]:
    opened = open_parquet(path, name)
    names = opened.schema_arrow.names
    taken = [names[column.position] for column in columns]
    gathered: list[pa.Table] = []
    rows, done, at_once = 0, 0, _batch_rows(opened)
    try:
        for group in range(opened.num_row_groups):
            if opened.metadata.row_group(group).num_rows > 2 * at_once:
                for batch in opened.iter_batches(at_once, [group], columns=taken):
                    yield _declared(pa.Table.from_batches([batch]), name, columns, taken, done)
                    done += batch.num_rows
                continue
            gathered.append(opened.read_row_group(group, columns=taken))
            rows += gathered[-1].num_rows
            if rows >= at_once or group + 1 == opened.num_row_groups:
                yield _declared(pa.concat_tables(gathered), name, columns, taken, done)
                done += rows
                gathered, rows = [], 0
    except BundleError:
        raise
    except (pa.ArrowException, OSError, ValueError) as error:
        raise BundleError([Problem("parquet", f"the file breaks off or is damaged: {str(error)[:200]}.", name)]) from None
    if gathered:
        yield _declared(pa.concat_tables(gathered), name, columns, taken, done)


def _declared(arrow: pa.Table, name: str, columns: list[ColumnRead], taken: list[str], before: int) -> pa.Table:
    made, problems = {}, []
    for column, source in zip(columns, taken, strict=True):
        data = arrow.column(source)
        place = f"{name}, column {source}"
        if pa.types.is_dictionary(data.type):
            for chunk in data.chunks:
                refuse_long_cells(pa.table({source: chunk.dictionary}), name, before)
            data = data.cast(data.type.value_type)
        found = parquet_type(data.type)
        try:
            if found is None:
                problems.append(Problem("type", f"holds {data.type}, which is no single value. Leave the column out.", place))
            elif found == "text" and column.type != "text" and not pa.types.is_null(data.type):
                made[column.name] = read_texts(data.cast(pa.string()), column.type, column.spelling, column.blanks)
            elif found in (column.type, "integer" if column.type == "number" else None) or column.type == "text" or pa.types.is_null(data.type):
                cast = data.cast(ARROW_TYPES[column.type])
                if column.type == "number" and pc.any(pc.is_nan(cast)).as_py():
                    cast = pc.if_else(pc.is_nan(cast), None, cast)
                if column.type == "number" and pc.any(pc.is_inf(cast)).as_py():
                    row = before + pc.index(pc.fill_null(pc.is_inf(cast), False), True).as_py() + 1
                    problems.append(Problem("type", f"row {row:,} holds infinity.", place))
                made[column.name] = cast
            else:
                problems.append(Problem("type", f"holds {found}, not {column.type}.", place))
        except Unreadable as error:
            problems.append(Problem("type", f"row {before + error.row + 1:,}: {error} is not of type {column.type}.", place))
        except pa.ArrowInvalid as error:
            problems.append(Problem("type", f"{str(error)[:200]}.", place))
    if problems:
        raise BundleError(problems)
    return pa.table(made)
