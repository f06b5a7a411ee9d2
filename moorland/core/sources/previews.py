"""A file before anything is understood: what kind it is, its first rows as they stand, where its header may be."""

import csv
import itertools
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.sources.cells import written
from moorland.core.sources.csv_files import csv_rows
from moorland.core.sources.parquet_files import open_parquet, parquet_batches
from moorland.core.sources.readings import MAX_COLUMNS, PREVIEW_ROWS, Delimiter, Encoding, FileFormat, FileReading
from moorland.core.sources.sheets import column_letters, sheet_names, sheet_rows


@dataclass(frozen=True)
class Grid:
    """The first rows of a file as they stand, before anything is understood: texts, empty where nothing stands."""

    reading: FileReading
    sheets: list[str]
    rows: list[list[str]]
    headers: list[str]
    proposed_header_row: int
    problems: list[Problem] = field(default_factory=list)


def format_of(path: Path, name: str) -> FileFormat:
    """What a file is by its first bytes, never by its name alone. Raises BundleError where it is nothing that can be read."""
    with path.open("rb") as opened:
        start = opened.read(4096)
    if not start.strip():
        raise BundleError([Problem("empty", "the file is empty.", name)])
    if start.startswith(b"PAR1"):
        return "parquet"
    if start.startswith(b"PK\x03\x04"):
        return "xlsx"
    if start.startswith(b"\xd0\xcf\x11\xe0"):
        raise BundleError([Problem("format", "a workbook of the old binary kind, or one with a password. Save it as .xlsx without a password.", name)])
    for signature, kind in ((b"%PDF", "a PDF document"), (b"\x1f\x8b", "a packed file"), (b"<html", "a web page"), (b"<!DOCTYPE", "a web page")):
        if start[:9].lower().startswith(signature.lower()):
            raise BundleError([Problem("format", f"{kind}, not a table. Bring CSV, XLSX or Parquet.", name)])
    if b"\x00" in start and not start.startswith((b"\xff\xfe", b"\xfe\xff")):
        raise BundleError([Problem("format", "neither text nor a workbook nor Parquet. Bring CSV, XLSX or Parquet.", name)])
    return "csv"


def first_reading(path: Path, name: str) -> FileReading:
    """How a file is best read, before anybody has looked at it. Raises BundleError where it cannot be."""
    kind = format_of(path, name)
    if kind != "csv":
        return FileReading(format=kind)
    with path.open("rb") as opened:
        start = opened.read(262_144)
    encoding: Encoding = "utf-16" if start.startswith((b"\xff\xfe", b"\xfe\xff")) else "utf-8"
    text = start.decode(encoding, errors="replace").lstrip("\ufeff")
    lines = [line for line in text.splitlines()[:50] if line.strip()]
    delimiters: tuple[Delimiter, ...] = (",", ";", "\t", "|")

    def steadiness(delimiter: str) -> tuple[int, int]:
        try:
            widths = [len(row) for row in csv.reader(lines, delimiter=delimiter)]
        except csv.Error:  # a cell longer than a cell may be; reading the file says which
            widths = []
        common = max(set(widths), key=lambda width: (widths.count(width), width)) if widths else 1
        return (widths.count(common) if common > 1 else 0, common)

    return FileReading(format="csv", encoding=encoding, delimiter=max(delimiters, key=steadiness))


def grid(path: Path, name: str, reading: FileReading, header_chosen: bool = False) -> Grid:
    """The first rows as they stand, with a proposal for the header's row and what is wrong with the header chosen.

    Raises BundleError with row and column where the file cannot be read.
    """
    sheets: list[str] = []
    if reading.format == "xlsx":
        sheets = sheet_names(path, name)
        reading = reading.model_copy(update={"sheet": reading.sheet or sheets[0]})
        rows = [[_shown(cell) for cell in row] for row in itertools.islice(sheet_rows(path, name, reading), PREVIEW_ROWS)]
    elif reading.format == "parquet":
        opened = open_parquet(path, name)
        head = next(parquet_batches(opened, name, PREVIEW_ROWS), None)
        rows = [list(opened.schema_arrow.names)]
        rows += [["" if value is None else str(value) for value in row.values()] for row in (head.to_pylist() if head is not None else [])]
    else:
        rows = list(itertools.islice(csv_rows(path, name, reading), PREVIEW_ROWS))
    width = max((len(row) for row in rows), default=0)
    if width > MAX_COLUMNS:
        raise BundleError([Problem("width", f"{width:,} columns; at most {MAX_COLUMNS:,} are read.", name)])
    rows = [[cell[:200] for cell in row] + [""] * (width - len(row)) for row in rows]
    proposed = 1 if reading.format == "parquet" else _header_row(rows)
    if not header_chosen:
        reading = reading.model_copy(update={"header_row": proposed})
    headers = headers_of(rows[reading.header_row - 1]) if reading.header_row <= len(rows) else []
    return Grid(reading, sheets, rows, headers, proposed, _header_problems(headers, name, reading.header_row))


def headers(path: Path, name: str, reading: FileReading) -> list[str]:
    """The header in full. Raises BundleError where its row holds none."""
    found = grid(path, name, reading, header_chosen=True)
    if not found.headers:
        raise BundleError(found.problems)
    return found.headers


def headers_of(row: list[str]) -> list[str]:
    """The header's cells without surrounding spaces, empty ones at the end left out."""
    cells = [cell.strip() for cell in row]
    while cells and not cells[-1]:
        cells.pop()
    return cells


def _header_problems(headers: list[str], name: str, row: int) -> list[Problem]:
    if not headers:
        return [Problem("header", f"row {row} holds no header. Choose the row that does.", name)]
    problems = [
        Problem("header", f"column {column_letters(index + 1)} has no header in row {row}; it is called column_{index + 1}.", name)
        for index, cell in enumerate(headers)
        if not cell
    ]
    twice = {cell.casefold() for cell in headers if cell and [other.casefold() for other in headers].count(cell.casefold()) > 1}
    for cell in sorted(twice):
        places = [column_letters(index + 1) for index, other in enumerate(headers) if other.casefold() == cell]
        problems.append(
            Problem("duplicate", f"the header {headers[_place(headers, cell)]} stands in columns {', '.join(places)}; the later ones are numbered.", name)
        )
    return problems


def _place(headers: list[str], folded: str) -> int:
    return next(index for index, cell in enumerate(headers) if cell.casefold() == folded)


def _header_row(rows: list[list[str]]) -> int:
    """The row, from 1, that looks most like a header: filled as widely as the rows below it, every cell a different word that is no number."""

    def filled(row: list[str]) -> int:
        return sum(bool(cell.strip()) for cell in row)

    widest = max((filled(row) for row in rows), default=0)
    for index, row in enumerate(rows[:20]):
        cells = [cell.strip() for cell in row if cell.strip()]
        wordy = [cell for cell in cells if not cell.replace(".", "").replace("-", "").replace(",", "").isdigit()]
        if len(cells) >= max(1, 0.8 * widest) and len(wordy) == len(cells) and len({cell.casefold() for cell in cells}) >= 0.6 * len(cells):
            return index + 1
    return next((index + 1 for index, row in enumerate(rows) if filled(row)), 1)


def _shown(cell: Any) -> str:
    return "" if cell is None else str(written(cell, "text"))
