"""Texts of data files as values of their declared types (bundle.md)."""

import datetime
import re
from collections import Counter
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from moorland.core.bundle.model import Table
from moorland.core.bundle.problems import BundleError, Problem, nearest_name
from moorland.core.engine.columns import ARROW_TYPES
from moorland.core.sources.readings import MAX_CELL

_PATTERNS = {
    "integer": re.compile(r"[-+]?\d{1,19}"),
    "number": re.compile(r"[-+]?(\d+(\.\d*)?|\.\d+)([eE][-+]?\d+)?"),
    "boolean": re.compile(r"true|false"),
    "date": re.compile(r"\d{4}-\d{2}-\d{2}"),
    "timestamp": re.compile(r"\d{4}-\d{2}-\d{2}[T ]\d{2}:\d{2}(:\d{2}(\.\d{1,6})?)?"),
}


def check_columns(names: list[str], table: Table, file: str) -> None:
    declared = [column.name for column in table.columns if not column.derived]
    problems = [Problem("duplicate", f"the column {name} stands twice.", file) for name, times in sorted(Counter(names).items()) if times > 1]
    problems += [Problem("missing_column", f"the column {name} is missing.", file, nearest=nearest_name(name, names)) for name in declared if name not in names]
    problems += [
        Problem("surplus_column", f"the column {name} is not declared.", file, nearest=nearest_name(name, declared)) for name in names if name not in declared
    ]
    if problems:
        raise BundleError(problems)


def refuse_long_cells(arrow: pa.Table, file: str, before: int = 0) -> None:
    """Raises BundleError at the first text longer than a cell may be. `before` rows were read already."""
    for column in arrow.column_names:
        texts = arrow.column(column)
        if not (pa.types.is_string(texts.type) or pa.types.is_large_string(texts.type)) or not texts.nbytes:
            continue
        lengths = pc.binary_length(texts)
        if (pc.max(lengths).as_py() or 0) > MAX_CELL and (pc.max(lengths := pc.utf8_length(texts)).as_py() or 0) > MAX_CELL:
            row = before + pc.index(pc.fill_null(pc.greater(lengths, MAX_CELL), False), True).as_py() + 1
            raise BundleError([Problem("cell", f"data row {row:,} holds a text of more than {MAX_CELL:,} signs.", f"{file}, column {column}")])


def parsed(texts: pa.ChunkedArray, type_: str) -> pa.ChunkedArray:
    """Texts as values of a type. Raises ValueError naming the first line that does not fit."""
    if type_ == "text":
        return texts
    encoded = pc.dictionary_encode(texts).combine_chunks()
    if isinstance(encoded, pa.ChunkedArray):
        encoded = encoded.chunk(0)
    distinct = encoded.dictionary.to_pylist()
    pattern = _PATTERNS[type_]
    wrong = next((text for text in distinct if not pattern.fullmatch(text)), None)
    if wrong is None:
        try:
            values = pa.array([text == "true" for text in distinct], pa.bool_()) if type_ == "boolean" else pc.cast(encoded.dictionary, ARROW_TYPES[type_])
            if type_ == "number" and not pc.all(pc.is_finite(values)).as_py() and len(values):
                raise pa.ArrowInvalid("beyond the range of numbers")
            return pa.chunked_array([pc.take(values, encoded.indices)], type=ARROW_TYPES[type_])
        except pa.ArrowInvalid:
            wrong = next(text for text in distinct if not _castable(text, type_))
    row = int(np.flatnonzero(pc.equal(texts, wrong).fill_null(False).to_numpy())[0])
    raise ValueError(f"row {row + 1} holds {wrong[:60]!r}")


def _castable(text: str, type_: str) -> bool:
    try:
        value = pc.cast(pa.array([text]), ARROW_TYPES[type_])
        return type_ != "number" or bool(pc.is_finite(value)[0].as_py())
    except pa.ArrowInvalid:
        return False


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
