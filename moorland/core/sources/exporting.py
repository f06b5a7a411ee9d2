"""Tables written as CSV that a spreadsheet opens without running anything."""

import csv
import datetime
import io
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
    return f"'{cell}" if isinstance(cell, str) and cell[:1] in ("=", "+", "-", "@", "\t", "\r") else cell
