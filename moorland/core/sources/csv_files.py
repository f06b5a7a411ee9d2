"""CSV as people really have it: encodings, delimiters, cells over several lines; every fault with its row."""

import csv
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.csv

from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.sources.cells import refuse_long_cells
from moorland.core.sources.readings import AT_ONCE_BYTES, BATCH_ROWS, MAX_CELL, FileReading


def csv_rows(path: Path, name: str, reading: FileReading) -> Iterator[list[str]]:
    """Rows as texts. Raises BundleError at the first byte that is not of the encoding, or a cell that never ends."""
    codec = {"utf-8": "utf-8-sig", "utf-16": "utf-16", "windows-1252": "cp1252"}[reading.encoding]
    csv.field_size_limit(MAX_CELL)
    number = 0
    try:
        with path.open(encoding=codec, newline="") as opened:
            for row in csv.reader(opened, delimiter=reading.delimiter):
                number += 1
                yield row
    except UnicodeError as error:
        raise BundleError([_not_decoded(path, name, codec, error)]) from None
    except csv.Error as error:
        raise BundleError(
            [Problem("csv", f"row {number + 1} cannot be read: {error}. A cell holds at most {MAX_CELL:,} signs; a quotation mark may be left open.", name)]
        ) from None


def _not_decoded(path: Path, name: str, codec: str, error: UnicodeError) -> Problem:
    """Where the first byte stands that is not of the encoding, with what stands around it."""
    row, column, around = 0, 0, ""
    with path.open("rb") as opened:
        for number, line in enumerate(opened, 1):
            try:
                line.decode("utf-8" if codec == "utf-8-sig" else codec)
            except UnicodeDecodeError as found:
                row, column = number, len(line[: found.start].decode("utf-8", errors="replace")) + 1
                around = line[max(0, found.start - 15) : found.start + 15].decode("cp1252", errors="replace").strip()
                break
    remedy = "Choose another encoding, Windows-1252 is usual, or save the file as UTF-8."
    if not row:
        return Problem("encoding", f"not readable as {codec}: {error}. {remedy}", name)
    return Problem("encoding", f"row {row}, character {column} is not UTF-8 (read as Windows-1252: “{around}”). {remedy}", name)


def csv_tables(path: Path, name: str, reading: FileReading, width: int, types: dict[str, pa.DataType], stop_after: int | None = None) -> Iterator[pa.Table]:
    """Columns named by their place from 0: those in `types` as values, all others left out. `stop_after` so many rows, a little more is read.

    Raises BundleError at a byte of another encoding and at a row of another width; lets pyarrow's own errors about values pass.
    """
    options: dict[str, Any] = {
        "read_options": pyarrow.csv.ReadOptions(
            skip_rows=reading.header_row,
            column_names=[str(index) for index in range(width)],
            encoding={"windows-1252": "cp1252"}.get(reading.encoding, reading.encoding),
            block_size=4 * 1024 * 1024,
        ),
        "parse_options": pyarrow.csv.ParseOptions(delimiter=reading.delimiter, newlines_in_values=_may_hold_newlines(path)),
        "convert_options": pyarrow.csv.ConvertOptions(
            column_types=types,
            include_columns=list(types),
            strings_can_be_null=True,
            quoted_strings_can_be_null=True,
            null_values=[""],
            true_values=["true"],
            false_values=["false"],
        ),
    }
    try:
        done = 0
        for arrow in _batches(path, options, stop_after):
            refuse_long_cells(arrow, name, done)
            done += arrow.num_rows
            yield arrow
    except (pa.ArrowInvalid, pa.ArrowKeyError) as error:
        if "Empty CSV" in str(error):
            yield pa.table({place: pa.array([], type_) for place, type_ in types.items()})
            return
        problem = ragged(path, name, reading, width)
        if problem is not None:
            raise BundleError([problem]) from None
        raise


def _batches(path: Path, options: dict[str, Any], stop_after: int | None) -> Iterator[pa.Table]:
    if stop_after is None and path.stat().st_size <= AT_ONCE_BYTES:
        yield pyarrow.csv.read_csv(path, **options)
        return
    gathered: list[pa.RecordBatch] = []
    rows = 0
    with pyarrow.csv.open_csv(path, **options) as opened:
        for batch in opened:
            gathered.append(batch)
            rows += batch.num_rows
            if rows > (BATCH_ROWS if stop_after is None else stop_after):
                yield pa.Table.from_batches(gathered)
                gathered, rows = [], 0
        if gathered:
            yield pa.Table.from_batches(gathered, opened.schema)


def _may_hold_newlines(path: Path) -> bool:
    """Whether a quotation mark stands anywhere: only then can a cell run over a line's end."""
    with path.open("rb") as opened:
        return any(b'"' in piece for piece in iter(lambda: opened.read(1 << 22), b""))


def file_row(path: Path, name: str, reading: FileReading, data_row: int) -> int:
    """The row of the file, from 1, in which the so-manieth row of data stands."""
    seen = -1
    for number, row in enumerate(csv_rows(path, name, reading), 1):
        if number > reading.header_row and row:
            seen += 1
            if seen == data_row:
                return number
    return reading.header_row + 1 + data_row


def ragged(path: Path, name: str, reading: FileReading, width: int) -> Problem | None:
    """The first row whose cells are more or fewer than the header's."""
    for number, row in enumerate(csv_rows(path, name, reading), 1):
        if number > reading.header_row and row and len(row) != width:
            cells = f"{len(row)} {'cell' if len(row) == 1 else 'cells'}"
            return Problem("csv", f"row {number:,} has {cells}, the header has {width}. It begins with {row[0][:40]!r}.", name)
    return None
