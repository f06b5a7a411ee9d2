"""Tables written as CSV and XLSX that a spreadsheet opens without running anything."""

import csv
import datetime
import io
import re
from typing import Any


def csv_text(rows: list[list[Any]]) -> str:
    """Rows as CSV that a spreadsheet opens without running anything: a text that would start a formula gets an apostrophe before it."""
    sink = io.StringIO()
    writer = csv.writer(sink, lineterminator="\n")
    for row in rows:
        writer.writerow([_neutral(cell) for cell in row])
    return sink.getvalue()


def _neutral(cell: Any) -> Any:
    if isinstance(cell, bool):
        return "true" if cell else "false"
    if isinstance(cell, datetime.date | datetime.datetime):
        return cell.isoformat()
    return neutralised(cell) if isinstance(cell, str) else cell


#: Where a spreadsheet may see a cell begin, whatever it splits lines at, and what would start a formula there.
_STARTS = re.compile(r"(^|[;|\t\r\n])(?=[ ]*[=+\-@\t\r])")
_NEUTRALISED = re.compile(r"(^|[;|\t\r\n])'(?=[ ]*[=+\-@\t\r])")


def neutralised(text: str) -> str:
    """A text with an apostrophe before whatever a spreadsheet would run, also where it splits the line at something else than a comma."""
    return _STARTS.sub(r"\1'", text)


def as_it_was(text: str) -> str:
    """A neutralised text as it was before."""
    return _NEUTRALISED.sub(r"\1", text)


def workbook_bytes(rows: list[list[Any]]) -> bytes:
    """Rows as an XLSX sheet; every text stands as text, so that none is read as a formula."""
    from openpyxl import Workbook  # where there is a workbook: it takes a while to load
    from openpyxl.cell import WriteOnlyCell
    from openpyxl.cell.cell import ILLEGAL_CHARACTERS_RE

    book = Workbook(write_only=True)
    sheet = book.create_sheet("Rows")
    for row in rows:
        cells = []
        for value in row:
            cell = WriteOnlyCell(sheet, value=ILLEGAL_CHARACTERS_RE.sub("", value) if isinstance(value, str) else value)
            if isinstance(value, str):
                cell.data_type = "s"
            cells.append(cell)
        sheet.append(cells)
    sink = io.BytesIO()
    book.save(sink)
    return sink.getvalue()
