"""Sheets of workbooks: their names, their rows as they stand, formulas that were never computed."""

import itertools
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from moorland.core.bundle.problems import BundleError, Problem, nearest_name
from moorland.core.sources.cells import written
from moorland.core.sources.readings import MAX_CELL, MAX_SHEET_CELLS, MAX_SHEET_WIDTH, FileReading
from moorland.core.sources.workbook_bounds import check_workbook


def column_letters(number: int) -> str:
    """A column of a sheet as spreadsheets name it, the first being A."""
    from openpyxl.utils import get_column_letter

    return str(get_column_letter(number))


def sheet_names(path: Path, name: str) -> list[str]:
    """The sheets of a workbook. Raises BundleError where it cannot be opened."""
    book = _workbook(path, name)
    try:
        return list(book.sheetnames)
    finally:
        book.close()


def _workbook(path: Path, name: str, values: bool = True) -> Any:
    check_workbook(path, name)
    import openpyxl  # where there is a workbook: it takes a while to load

    try:
        book = openpyxl.load_workbook(path.open("rb"), read_only=True, data_only=values)
    except Exception:  # whatever the broken part raises
        raise _damaged(name) from None
    if not book.sheetnames:
        raise BundleError([Problem("xlsx", "the workbook has no sheets with cells.", name)])
    return book


def _damaged(name: str) -> BundleError:
    return BundleError([Problem("xlsx", "not readable as a workbook: it is damaged, or is no .xlsx.", name)])


def sheet_rows(path: Path, name: str, reading: FileReading, values: bool = True) -> Iterator[tuple[Any, ...]]:
    """The rows of a sheet, one by one. Raises BundleError where it cannot be read, or holds more than a sheet does."""
    book = _workbook(path, name, values)
    try:
        sheet = reading.sheet or book.sheetnames[0]
        if sheet not in book.sheetnames:
            raise BundleError([Problem("sheet", f"there is no sheet {sheet}.", name, nearest=nearest_name(sheet, book.sheetnames))])
        if not hasattr(book[sheet], "iter_rows"):
            raise BundleError([Problem("sheet", f"the sheet {sheet} holds a chart, no cells.", name)])
        yield from _bounded(book[sheet], sheet, name)
    finally:
        book.close()


def _bounded(sheet: Any, title: str, name: str) -> Iterator[tuple[Any, ...]]:
    rows = sheet.iter_rows(values_only=True)
    cells = number = 0
    while True:
        try:
            row: tuple[Any, ...] | None = next(rows, None)
        except Exception:  # whatever the broken part raises
            raise _damaged(name) from None
        if row is None:
            return
        number += 1
        cells += len(row)
        if cells > MAX_SHEET_CELLS or len(row) > MAX_SHEET_WIDTH:
            raise BundleError([Problem("xlsx", f"the sheet {title} has more than {MAX_SHEET_CELLS:,} cells. Bring it as CSV or Parquet.", name)])
        if any(isinstance(cell, str) and len(cell) > MAX_CELL for cell in row):
            raise BundleError([Problem("xlsx", f"row {number:,} holds a text of more than {MAX_CELL:,} signs.", f"{name}, sheet {title}")])
        yield row


def sheet_texts(path: Path, name: str, reading: FileReading, width: int) -> list[list[str | None]]:
    """The cells below the header, each column a list of texts; formulas without a saved result are refused with their place."""
    rows = itertools.islice(sheet_rows(path, name, reading), reading.header_row, None)
    formulas = itertools.islice(sheet_rows(path, name, reading, values=False), reading.header_row, None)
    columns: list[list[str | None]] = [[] for _ in range(width)]
    for number, (row, raw) in enumerate(zip(rows, formulas, strict=False), reading.header_row + 1):
        for index in range(min(len(raw), width)):
            if row[index] is None and isinstance(raw[index], str) and raw[index].startswith("="):
                place = f"{name}, sheet {reading.sheet}, cell {column_letters(index + 1)}{number}"
                raise BundleError([Problem("formula", "a formula without a saved result. Open the workbook, let it compute, and save it again.", place)])
        for index, column in enumerate(columns):
            column.append(written(row[index], "text") if index < len(row) else None)
    return columns
