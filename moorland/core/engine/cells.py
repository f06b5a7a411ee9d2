"""Cells as values: what stands in a column, or a lookup's column, in some rows of a table."""

from typing import Any

import numpy as np

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
