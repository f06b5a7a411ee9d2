"""How files are read: what is chosen on a preview before anything is taken from them."""

from dataclasses import dataclass
from typing import Literal

from moorland.core.bundle.shape import Shape, ValueType
from moorland.core.sources.spellings import Spelling

FileFormat = Literal["csv", "parquet", "xlsx"]
Encoding = Literal["utf-8", "utf-16", "windows-1252"]
Delimiter = Literal[",", ";", "\t", "|"]

MAX_COLUMNS = 2_000
#: What a sheet may hold: rows and cells of a row as its format has them, cells as reading them is worth.
MAX_SHEET_ROWS, MAX_SHEET_WIDTH, MAX_SHEET_CELLS = 1_048_576, 16_384, 15_000_000
#: Signs of a cell.
MAX_CELL = 32_767
PREVIEW_ROWS = 40
BATCH_ROWS = 1_000_000
#: A CSV file up to this size is read at once by several threads; a larger one streams through.
AT_ONCE_BYTES = 256 * 1024 * 1024


class FileReading(Shape):
    """How a file is read: the sheet of a workbook, the row that holds the header (from 1), and how text is written in it."""

    format: FileFormat
    encoding: Encoding = "utf-8"
    delimiter: Delimiter = ","
    sheet: str | None = None
    header_row: int = 1


@dataclass(frozen=True)
class ColumnRead:
    """A column to take: its place in the file from 0, and how its texts become values."""

    position: int
    name: str
    type: ValueType
    spelling: Spelling = "plain"
    blanks: tuple[str, ...] = ()
