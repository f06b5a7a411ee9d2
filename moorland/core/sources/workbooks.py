"""Tables in sheets of .xlsx workbooks: values read by their declared types, as from any file (bundle.md)."""

import datetime
import zipfile
from pathlib import Path
from typing import Any

import openpyxl
import pyarrow as pa
from openpyxl.utils.exceptions import InvalidFileException

from moorland.core.bundle.model import Table
from moorland.core.bundle.problems import BundleError, Problem, nearest_name
from moorland.core.sources.cells import check_columns, parsed

#: A workbook is a packed folder; unpacked it may be so large.
MAX_UNPACKED_BYTES = 512 * 1024 * 1024


def read_workbook(path: Path, table: Table) -> pa.Table:
    """The declared columns of a sheet (`sheet`, else the first) whose header stands in `header_row` (else the first).

    Raises BundleError: not a workbook, too large unpacked, no such sheet, a missing or surplus column, a value of another type.
    """
    file = str(table.data)
    try:
        with zipfile.ZipFile(path) as packed:
            if sum(item.file_size for item in packed.infolist()) > MAX_UNPACKED_BYTES:
                raise BundleError([Problem("xlsx", f"larger than {MAX_UNPACKED_BYTES // 1024 // 1024} MB unpacked.", file)])
        book = openpyxl.load_workbook(path, read_only=True, data_only=True)
    except (zipfile.BadZipFile, InvalidFileException, KeyError, OSError, ValueError) as error:
        raise BundleError([Problem("xlsx", f"not readable as a workbook: {error}.", file)]) from None
    try:
        name = table.sheet or book.sheetnames[0]
        if name not in book.sheetnames:
            raise BundleError([Problem("sheet", f"there is no sheet {name}.", file, nearest=nearest_name(name, book.sheetnames))])
        rows = book[name].iter_rows(min_row=table.header_row or 1, values_only=True)
        header = [str(cell) if cell is not None else "" for cell in next(rows, ())]
        while header and not header[-1]:
            header.pop()
        if not header:
            raise BundleError([Problem("xlsx", f"row {table.header_row or 1} of the sheet {name} holds no header.", file)])
        check_columns(header, table, file)
        cells = [row[: len(header)] for row in rows if any(cell is not None for cell in row[: len(header)])]
    finally:
        book.close()
    problems: list[Problem] = []
    columns = {}
    for column in table.columns:
        if column.derived:
            continue
        place = header.index(column.name)
        texts = [written(row[place] if place < len(row) else None, column.type) for row in cells]
        try:
            columns[column.name] = parsed(pa.chunked_array([pa.array(texts, pa.string())]), column.type)
        except ValueError as error:
            problems.append(Problem("type", f"{error}: not of type {column.type}.", f"{file}, column {column.name}"))
    if problems:
        raise BundleError(problems)
    return pa.table(columns)


def written(cell: Any, type_: str) -> str | None:
    """A cell as it would be written in CSV: whole numbers without a fraction, days without a time unless it is one; empty is null."""
    if cell is None or cell == "":
        return None
    if isinstance(cell, bool):
        return "true" if cell else "false"
    if isinstance(cell, float) and cell.is_integer() and abs(cell) < 2**53:
        return str(int(cell))
    if isinstance(cell, datetime.datetime):
        return cell.date().isoformat() if cell.time() == datetime.time() and type_ != "timestamp" else cell.isoformat(sep=" ")
    return str(cell)
