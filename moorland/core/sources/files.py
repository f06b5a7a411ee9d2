"""Table data from the files of a bundle: every value read by its declared type (bundle.md)."""

import csv
import hashlib
import itertools
from collections.abc import Iterator, Mapping
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv
import pyarrow.parquet

from moorland.core.bundle.document import Bundle
from moorland.core.bundle.model import Table
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.reading import path_inside
from moorland.core.bundle.sources import Source
from moorland.core.engine.columns import StoredColumn, TableData, empty_table, encode
from moorland.core.engine.evaluator import TableLoader
from moorland.core.sources.cells import check_columns, parsed, refuse_long_cells
from moorland.core.sources.declared_columns import declared_columns
from moorland.core.sources.engines import DatabaseEngine
from moorland.core.sources.parquet_files import open_parquet
from moorland.core.sources.parquet_parts import streamed_parquet
from moorland.core.sources.placing import engine_of, machine_folders, machine_hosts, machine_secret, placed
from moorland.core.sources.streamed_tables import StreamedTable

#: Each loader reads what a source holds anew.
_READINGS = itertools.count()
MAX_LINE_BYTES = 16 * 1024 * 1024


def folder_loader(folder: Path) -> TableLoader:
    """Loads each table of a bundle from its file below the folder; a table without data is empty."""
    return lambda model, name: read_table(folder, next(table for table in model.tables if table.name == name))


def bundle_loader(bundle: Bundle, folder: Path) -> TableLoader:
    """Loads each table of a bundle from its file, or from its source: as a command finds folders, hosts and secrets on the machine.

    What a source holds is taken to be the same for as long as the loader is used.
    """
    engines: dict[str, DatabaseEngine] = {}

    def engine(written: Source, values: Mapping[str, str]) -> DatabaseEngine:
        source = written.resolved(values)
        key = source.model_dump_json()
        if key not in engines:
            engines[key] = engine_of(source, machine_secret(source), [folder, *machine_folders()], machine_hosts())
        return engines[key]

    now = f"as it was read {next(_READINGS)}"
    return placed(folder_loader(folder), bundle, engine, lambda source, model, table: now)


def read_table(folder: Path, table: Table) -> TableData:
    """The data of one table.

    Raises BundleError with file, line and column: a missing or surplus column, a value of another type, a key that
    is null or stands twice.
    """
    if table.data is None:
        return empty_table((column.name, column.type) for column in table.columns if not column.derived)
    path = path_inside(folder, table.data)
    streamed = streamed_parquet(path, table) if path.suffix == ".parquet" else None
    return to_table_data(read_arrow(path, table), table) if streamed is None else streamed


def read_parts(path: Path, table: Table) -> Iterator[pa.Table]:
    """The declared columns of a data file, at once or, of a file of many rows, part by part. Raises BundleError as `read_table` does, or SourceFailed."""
    streamed = streamed_parquet(path, table) if path.suffix == ".parquet" else None
    if streamed is not None and isinstance(streamed.in_place, StreamedTable):
        return streamed.in_place.parts()
    return iter([read_arrow(path, table)])


def read_arrow(path: Path, table: Table) -> pa.Table:
    """The declared columns of a data file as Arrow columns of their types. Raises BundleError as `read_table` does."""
    if path.suffix == ".csv":
        arrow = _read_csv(path, table)
    elif path.suffix == ".parquet":
        arrow = _read_parquet(path, table)
    elif path.suffix == ".xlsx":
        # Loaded where it is used: most bundles have no workbook, and every command would wait for it.
        from moorland.core.sources.workbooks import read_workbook

        arrow = read_workbook(path, table)
    else:
        raise BundleError([Problem("format", "table data is .csv, .parquet or .xlsx.", str(table.data))])
    check_key(arrow, table, str(table.data))
    return arrow


def to_table_data(arrow: pa.Table, table: Table) -> TableData:
    """An Arrow table with the declared columns as the engine keeps it; its version is a hash of the values alone."""
    columns = {column.name: encode(arrow.column(column.name), column.type) for column in table.columns if not column.derived}
    return TableData(content_version(arrow.num_rows, columns), arrow.num_rows, columns)


def content_version(rows: int, columns: dict[str, StoredColumn]) -> str:
    """The same for equal values, however they were cut into chunks; another for any other values."""
    digest = hashlib.blake2b(str(rows).encode(), digest_size=16)
    for name, column in columns.items():
        digest.update(f"{name}:{column.type}:{len(column.values)}".encode())
        if column.values.dtype == object:
            digest.update("".join(f"{len(value)}:{value}" for value in column.values).encode())
        else:
            digest.update(np.ascontiguousarray(column.values).view(np.uint8).data)
        digest.update(np.ascontiguousarray(column.known).view(np.uint8).data)
        if column.codes is not None:
            digest.update(np.ascontiguousarray(column.codes).view(np.uint8).data)
    return digest.hexdigest()


def check_key(arrow: pa.Table, table: Table, file: str) -> None:
    """Raises BundleError where the key of a table is null or stands twice."""
    if table.key is None:
        return
    keys = arrow.column(table.key)
    if keys.null_count:
        row = int(np.flatnonzero(pc.is_null(keys).to_numpy())[0])
        raise BundleError([Problem("key", f"row {row + 1}: the key {table.key} is empty.", file)])
    counts = pc.value_counts(keys)
    if len(counts) < arrow.num_rows:
        twice = next(item for item in counts if item["counts"].as_py() > 1)
        raise BundleError([Problem("key", f"the key {table.key} = {twice['values']} stands {twice['counts']} times.", file)])


def _read_csv(path: Path, table: Table) -> pa.Table:
    file = str(table.data)
    for number, line_bytes in _line_lengths(path):
        if line_bytes > MAX_LINE_BYTES:
            raise BundleError([Problem("csv", f"line {number} is longer than {MAX_LINE_BYTES // 1024 // 1024} MB.", file)])
    try:
        with path.open(encoding="utf-8-sig", newline="") as opened:
            header = next(csv.reader(opened), None)
    except (UnicodeDecodeError, csv.Error) as error:
        raise BundleError([Problem("csv", f"the header cannot be read: {error}.", file)]) from None
    if not header:
        raise BundleError([Problem("csv", "the file is empty; it needs a header.", file)])
    check_columns(header, table, file)
    types = {column.name: pa.string() for column in table.columns if not column.derived}
    options = pyarrow.csv.ConvertOptions(column_types=types, strings_can_be_null=True, quoted_strings_can_be_null=True, null_values=[""])
    try:
        text = pyarrow.csv.read_csv(path, parse_options=pyarrow.csv.ParseOptions(newlines_in_values=True), convert_options=options)
    except (pa.ArrowInvalid, pa.ArrowKeyError) as error:
        raise BundleError([Problem("csv", f"{error}.", file)]) from None
    refuse_long_cells(text, file)
    problems: list[Problem] = []
    columns = {}
    for column in table.columns:
        if column.derived:
            continue
        try:
            columns[column.name] = parsed(text.column(column.name), column.type)
        except ValueError as error:
            problems.append(Problem("type", f"{error}: not of type {column.type}.", f"{file}, column {column.name}"))
    if problems:
        raise BundleError(problems)
    return pa.table(columns)


def _line_lengths(path: Path) -> Iterator[tuple[int, int]]:
    """The length of each line, read in bounded pieces; only lines beyond the bound are given."""
    length, number = 0, 1
    with path.open("rb") as opened:
        while piece := opened.read(1 << 20):
            lines = piece.split(b"\n")
            length += len(lines[0])
            if length > MAX_LINE_BYTES:
                yield number, length
                return
            if len(lines) > 1:
                number += len(lines) - 1
                length = len(lines[-1])
    if length > MAX_LINE_BYTES:
        yield number, length


def _read_parquet(path: Path, table: Table) -> pa.Table:
    file = str(table.data)
    try:
        opened = open_parquet(path, file)
        check_columns(opened.schema_arrow.names, table, file)
        arrow = opened.read()
    except (pa.ArrowInvalid, OSError, ValueError) as error:
        raise BundleError([Problem("parquet", f"not readable as Parquet: {error}.", file)]) from None
    return declared_columns(arrow, [column for column in table.columns if not column.derived], file)
