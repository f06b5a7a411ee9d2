"""Workbooks before they are read: a small file can say that it holds rows without end, or unpack to more than memory holds."""

import re
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import IO

from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.sources.readings import MAX_SHEET_CELLS, MAX_SHEET_ROWS, MAX_SHEET_WIDTH

#: A workbook is a packed folder; unpacked it may be so large, and the texts its cells share.
MAX_UNPACKED_BYTES = 512 * 1024 * 1024
MAX_SHARED_BYTES = 128 * 1024 * 1024
#: Parts of more than a little may be at most so much larger than packed: tables of figures pack to a tenth, never to a thousandth.
MAX_RATIO, LITTLE_BYTES = 250, 8 * 1024 * 1024
#: So many marks of the file may stand between one row, or shared text, and the next.
MAX_MARKS_BETWEEN = 400_000
MAX_SHARED_TEXTS = 5_000_000

_PIECE = 1 << 20
_ANCHORS = re.compile(rb"<(?:[A-Za-z_][\w.-]*:)?(?:row\b([^>]*)>|(c)[\s/>]|(si)[\s/>])")
_ROW_NUMBER = re.compile(rb"""\br\s*=\s*["']\s*(\d+)""")


def check_workbook(path: Path, name: str) -> None:
    """Raises BundleError where a file is no workbook, or one whose reading would take more memory or time than a table is worth."""
    try:
        with zipfile.ZipFile(path) as packed:
            parts = packed.infolist()
            if len(parts) > 10_000 or sum(part.file_size for part in parts) > MAX_UNPACKED_BYTES:
                raise _refused(name, f"larger than {MAX_UNPACKED_BYTES // 1024 // 1024} MB unpacked. Bring it as CSV or Parquet")
            for part in parts:
                if part.file_size > max(LITTLE_BYTES, MAX_RATIO * part.compress_size):
                    raise _refused(name, f"{part.filename[:60]} is {part.file_size // max(part.compress_size, 1):,} times larger unpacked, as no table is")
                with packed.open(part) as opened:
                    _check_part(opened, part, name)
    except BundleError:
        raise
    except Exception:  # whatever the broken part raises
        raise _refused(name, "not readable as a workbook: it is damaged, or is no .xlsx") from None


def _refused(name: str, message: str) -> BundleError:
    return BundleError([Problem("xlsx", f"{message}.", name)])


def _check_part(opened: IO[bytes], part: zipfile.ZipInfo, name: str) -> None:
    cells = in_row = shared = marks = 0
    for piece in _pieces(opened, name):
        if b"<!DOCTYPE" in piece or b"<!ENTITY" in piece:
            raise _refused(name, f"{part.filename[:60]} defines words of its own, which no workbook needs")
        start = 0
        for anchor in _ANCHORS.finditer(piece):
            if anchor[2]:
                cells, in_row = cells + 1, in_row + 1
                if cells > MAX_SHEET_CELLS:
                    raise _refused(name, f"more than {MAX_SHEET_CELLS:,} cells. Bring it as CSV or Parquet")
                if in_row > MAX_SHEET_WIDTH:
                    raise _refused(name, f"a row of more than {MAX_SHEET_WIDTH:,} cells")
                continue
            if marks + piece.count(b"<", start, anchor.start()) > MAX_MARKS_BETWEEN:
                raise _refused(name, f"{part.filename[:60]} holds more between two rows than a sheet does")
            start, marks, in_row = anchor.start(), 0, 0
            if anchor[3]:
                shared += 1
                if shared > MAX_SHARED_TEXTS or part.file_size > MAX_SHARED_BYTES:
                    raise _refused(name, "its cells share more text than is read. Bring it as CSV or Parquet")
            elif (number := _ROW_NUMBER.search(anchor[1])) and (len(number[1]) > 9 or int(number[1]) > MAX_SHEET_ROWS):
                raise _refused(name, f"a row is numbered {number[1][:15].decode()}; a sheet has at most {MAX_SHEET_ROWS:,}")
        marks += piece.count(b"<", start)
        if marks > MAX_MARKS_BETWEEN:
            raise _refused(name, f"{part.filename[:60]} holds more between two rows than a sheet does")


def _pieces(opened: IO[bytes], name: str) -> Iterator[bytes]:
    """A part in pieces that end between marks; parts that are no text in bytes of UTF-8, such as pictures, are left out."""
    first = opened.read(_PIECE)
    if first.startswith((b"\xff\xfe", b"\xfe\xff")) or (b"\x00" in first[:200] and first.lstrip()[:1] == b"<"):
        raise _refused(name, "not written in UTF-8, as workbooks are")
    if first.removeprefix(b"\xef\xbb\xbf").lstrip()[:1] != b"<":
        return
    rest = b""
    while first:
        piece = rest + first
        cut = piece.rfind(b"<")
        if cut <= 0 and len(piece) > 2 * _PIECE:
            raise _refused(name, "a text in it is longer than a cell may be")
        rest = piece[max(cut, 0) :]
        if cut > 0:
            yield piece[:cut]
        first = opened.read(_PIECE)
    yield rest
