"""Cells as values: what stands in a column, or a lookup's column, in some rows of a table."""

import datetime
from typing import Any

import numpy as np
import pyarrow as pa

from moorland.core.bundle.shape import ValueType
from moorland.core.engine.columns import ARROW_TYPES
from moorland.core.engine.grouping import codes_with_null
from moorland.core.engine.model_data import ModelData
from moorland.core.language.derived import ColumnKey
from moorland.core.language.vectors import Array, Domain, Mask, Vector


def cell_values(data: ModelData, table: str, key: ColumnKey, rows: Array, shown: Mask) -> list[Any]:
    """The JSON values of a column, or of a lookup's column, in the given rows; null where it is not shown."""
    owner, column = key
    frame = data.frame(table)
    vector = frame.column(owner, column)
    index = rows if owner == table else data.path(table, owner)[rows]
    stored = data.stored(owner, column)
    if stored.codes is not None:
        index = stored.codes[index]
    picked = Vector(vector.values[index], vector.known[index] & shown, Domain(table))
    return json_values(picked.values, picked.known)


def cell_arrow(data: ModelData, table: str, key: ColumnKey, rows: Array, shown: Mask, type_: ValueType) -> pa.Array:
    """A column, or a lookup's column, in the given rows as an Arrow array of a type; null where it is not shown."""
    owner, column = key
    index = rows if owner == table else data.path(table, owner)[rows]
    stored = data.stored(owner, column)
    values = data.frame(table).column(owner, column)
    if stored.codes is not None:
        codes = np.asarray(stored.codes[index])
        known = shown & values.known[codes]
        words = pa.array(values.values[:-1], type=ARROW_TYPES[stored.type])
        found = words.take(pa.array(np.where(known, codes, 0), mask=~known)) if len(words) else pa.nulls(len(rows), ARROW_TYPES[stored.type])
    else:
        found = pa.array(values.values[index], type=ARROW_TYPES[stored.type], mask=~(values.known[index] & shown))
    return found if stored.type == type_ else arrow_text(found)


def arrow_text(values: pa.Array) -> pa.Array:
    """An Arrow array in text, each value as JSON values are in text."""
    return pa.array([None if value is None else str(value) for value in arrow_json(values)], type=pa.string())


def arrow_json(values: pa.Array) -> list[Any]:
    """The JSON values of an Arrow array."""
    return [value.isoformat() if isinstance(value, datetime.date) else value for value in values.to_pylist()]


def arrow_of(values: list[Any], type_: ValueType) -> pa.Array:
    """JSON values as an Arrow array of a type; in a column of text, others in text."""
    return pa.array([_typed(value, type_) for value in values], type=ARROW_TYPES[type_])


def _typed(value: Any, kind: ValueType) -> Any:
    """A JSON value as Arrow takes it."""
    if value is None:
        return None
    if kind == "text":
        return str(value)
    if kind == "date":
        return datetime.date.fromisoformat(value)
    if kind == "timestamp":
        return datetime.datetime.fromisoformat(value)
    return float(value) if kind == "number" else value


def json_values(values: Array, known: Mask) -> list[Any]:
    """Values as JSON gives them: ISO dates, null where unknown."""
    return [value if is_known else None for value, is_known in zip(plain_values(values), known.tolist(), strict=True)]


def plain_values(values: Array) -> list[Any]:
    """Values as JSON gives them, ISO dates and all."""
    if values.dtype.kind != "M":
        plain: list[Any] = (values + 0.0 if values.dtype.kind == "f" else values).tolist()
        return plain
    texts: list[Any] = np.datetime_as_string(values).tolist()
    return [text.removesuffix(".000000") for text in texts] if values.dtype == np.dtype("datetime64[us]") else texts


def codes_of(data: ModelData, table: str, key: ColumnKey, rows: Array) -> Array:
    """The codes of a column, or of a lookup's column, in some rows of a table; -1 for null."""
    return np.asarray(codes_with_null(data, table, key)[rows])
