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
from moorland.core.sources.readings import BATCH_ROWS, ColumnRead
from moorland.core.sources.spellings import Unreadable, read_texts


def open_parquet(path: Path, name: str) -> pyarrow.parquet.ParquetFile:
    try:
        return pyarrow.parquet.ParquetFile(path)
    except (pa.ArrowException, OSError) as error:
        raise BundleError([Problem("parquet", f"not readable as Parquet: {str(error)[:200]}.", name)]) from None


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
    rows, done = 0, 0
    try:
        for group in range(opened.num_row_groups):
            if opened.metadata.row_group(group).num_rows > 2 * BATCH_ROWS:
                for batch in opened.iter_batches(BATCH_ROWS, [group], columns=taken):
                    yield _declared(pa.Table.from_batches([batch]), name, columns, taken, done)
                    done += batch.num_rows
                continue
            gathered.append(opened.read_row_group(group, columns=taken))
            rows += gathered[-1].num_rows
            if rows >= BATCH_ROWS or group + 1 == opened.num_row_groups:
                yield _declared(pa.concat_tables(gathered), name, columns, taken, done)
                done += rows
                gathered, rows = [], 0
    except (pa.ArrowException, OSError) as error:
        raise BundleError([Problem("parquet", f"the file breaks off or is damaged: {str(error)[:200]}.", name)]) from None
    if gathered:
        yield _declared(pa.concat_tables(gathered), name, columns, taken, done)


def _declared(arrow: pa.Table, name: str, columns: list[ColumnRead], taken: list[str], before: int) -> pa.Table:
    made, problems = {}, []
    for column, source in zip(columns, taken, strict=True):
        data = arrow.column(source)
        place = f"{name}, column {source}"
        if pa.types.is_dictionary(data.type):
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
