"""Tables in sheets of .xlsx workbooks: values read by their declared types, as from any file (bundle.md)."""

import itertools
from pathlib import Path

import pyarrow as pa

from moorland.core.bundle.model import Table
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.sources.cells import check_columns, parsed, written
from moorland.core.sources.readings import FileReading
from moorland.core.sources.sheets import sheet_rows


def read_workbook(path: Path, table: Table) -> pa.Table:
    """The declared columns of a sheet (`sheet`, else the first) whose header stands in `header_row` (else the first).

    Raises BundleError: not a workbook, too large unpacked, no such sheet, a missing or surplus column, a value of another type.
    """
    file = str(table.data)
    rows = sheet_rows(path, file, FileReading(format="xlsx", sheet=table.sheet))
    start = table.header_row or 1
    header = [str(cell) if cell is not None else "" for cell in next(itertools.islice(rows, start - 1, start), ())]
    while header and not header[-1]:
        header.pop()
    if not header:
        raise BundleError([Problem("xlsx", f"row {start} of the sheet {table.sheet or 'that stands first'} holds no header.", file)])
    check_columns(header, table, file)
    cells = [row[: len(header)] for row in rows if any(cell is not None for cell in row[: len(header)])]
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
