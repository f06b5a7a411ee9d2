"""The cells of files as typed columns, in tables of bounded size."""

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pyarrow as pa
import pyarrow.compute as pc

from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.engine.columns import ARROW_TYPES
from moorland.core.sources.csv_files import csv_tables, file_row
from moorland.core.sources.parquet_files import open_parquet, parquet_tables
from moorland.core.sources.previews import headers
from moorland.core.sources.readings import ColumnRead, FileReading
from moorland.core.sources.sheets import column_letters, sheet_texts
from moorland.core.sources.spellings import BLANK_WORDS, Unreadable, read_texts


def row_count(path: Path, name: str, reading: FileReading) -> int | None:
    """How many rows a file holds, where it says so itself."""
    return open_parquet(path, name).metadata.num_rows if reading.format == "parquet" else None


def read_ahead(tables: Iterator[pa.Table]) -> Iterator[pa.Table]:
    """The same tables, the next one read while the one before is worked on."""
    with ThreadPoolExecutor(max_workers=1, thread_name_prefix="reading") as reading:
        following = reading.submit(next, tables, None)
        while (arrow := following.result()) is not None:
            following = reading.submit(next, tables, None)
            yield arrow


def typed_tables(path: Path, name: str, reading: FileReading, columns: list[ColumnRead]) -> Iterator[pa.Table]:
    """The columns as values of their types, in tables of bounded size.

    Raises BundleError with row and column at the first cell that is not of its column's type, and at a row of another width.
    """
    if reading.format == "parquet":
        yield from parquet_tables(path, name, columns)
        return
    width = len(headers(path, name, reading))
    if reading.format == "xlsx":
        texts = sheet_texts(path, name, reading, width)
        full = [index for index in range(len(texts[0]) if texts else 0) if any(column[index] is not None for column in texts)]
        arrow = pa.table({str(place): pa.array([column[index] for index in full], pa.string()) for place, column in enumerate(texts)})
        yield _typed(arrow, path, name, reading, columns, 0, [reading.header_row + 1 + index for index in full])
        return
    done = 0
    try:
        types = {str(column.position): ARROW_TYPES[column.type] if _plain(column) else pa.string() for column in columns}
        for arrow in csv_tables(path, name, reading, width, types):
            _refuse_infinite(arrow, columns)
            yield _typed(arrow, path, name, reading, columns, done)
            done += arrow.num_rows
        return
    except (pa.ArrowInvalid, pa.ArrowKeyError) as error:
        if done:
            raise BundleError(
                [Problem("type", f"a cell below row {done + reading.header_row:,} is not of its column's type: {str(error)[:200]}.", name)]
            ) from None
    # The quick way met a cell that is not written plainly: every column is read as text, so that the cell can be named, or read as it is spelled.
    for arrow in csv_tables(path, name, reading, width, {str(column.position): pa.string() for column in columns}):
        yield _typed(arrow, path, name, reading, columns, done)
        done += arrow.num_rows


def _plain(column: ColumnRead) -> bool:
    """Whether the reader of CSV may make the values itself: only where it reads exactly what `read_texts` would."""
    return column.type in ("integer", "number") and column.spelling == "plain" and not column.blanks


def _refuse_infinite(arrow: pa.Table, columns: list[ColumnRead]) -> None:
    for column in columns:
        values = arrow.column(str(column.position))
        if pa.types.is_floating(values.type) and pc.any(pc.invert(pc.is_finite(values))).as_py():
            raise pa.ArrowInvalid("not a finite number")


def _typed(arrow: pa.Table, path: Path, name: str, reading: FileReading, columns: list[ColumnRead], before: int, numbers: list[int] | None = None) -> pa.Table:
    made, problems = {}, []
    for column in columns:
        texts = arrow.column(str(column.position))
        if texts.type != pa.string():
            made[column.name] = texts
            continue
        try:
            made[column.name] = read_texts(texts, column.type, column.spelling, column.blanks)
        except Unreadable as error:
            row = numbers[error.row] if numbers is not None else file_row(path, name, reading, before + error.row)
            word = error.text.strip().lower()
            remedy = " Read this word as blank, or mend the file." if word in BLANK_WORDS else ""
            sheet = f", sheet {reading.sheet}" if reading.sheet else ""
            message = f"{error.text[:60]!r} is not of type {column.type}.{remedy}"
            problems.append(Problem("type", message, f"{name}{sheet}, row {row:,}, column {column_letters(column.position + 1)} ({column.name})"))
    if problems:
        raise BundleError(problems)
    return pa.table(made)
