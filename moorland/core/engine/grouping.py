"""Columns as codes into their sorted distinct values: what groups, members and entitlement lines are compared by."""

import numpy as np

from moorland.core.engine.model_data import ModelData
from moorland.core.language.derived import ColumnKey
from moorland.core.language.vectors import Array


def group_labels(data: ModelData, key: ColumnKey) -> tuple[Array, Array | None]:
    """The sorted distinct values of a column, and for a plain one the code of each of its rows (n + 1)."""
    stored = data.stored(*key)
    if stored.codes is not None:
        return stored.values[:-1], None
    values = data.cache.get(("labels", key), lambda: np.unique(stored.values[stored.known]))
    codes = data.cache.get(("codes", key), lambda: np.where(stored.known, np.searchsorted(values, stored.values), -1))
    return values, codes


def codes_with_null(data: ModelData, table: str, key: ColumnKey) -> Array:
    """The code of a column, or of a lookup's column, in each row of a table and in the null entry; -1 for null. Shape (rows + 1,)."""
    _, codes = group_labels(data, key)
    if codes is None:
        codes = data.stored(*key).codes
    assert codes is not None
    return codes if key[0] == table else codes[data.path(table, key[0])]


def group_codes(data: ModelData, table: str, key: ColumnKey) -> Array:
    """The code of a column, or of a lookup's column, in each row of a table; -1 for null. Shape (rows,)."""
    return codes_with_null(data, table, key)[:-1]


def value_counts(key: ColumnKey, data: ModelData) -> tuple[Array, Array]:
    """The sorted distinct values of a column (d,), and how many rows have each (d + 1), first those that have none."""
    labels, _ = group_labels(data, key)
    codes = group_codes(data, key[0], key)
    return labels, np.bincount(codes.astype(np.int64) + 1, weights=data.weights(key[0]), minlength=len(labels) + 1).astype(np.int64)


def places_of(values: Array, labels: Array) -> Array:
    """For each value its place among sorted labels, -1 where it is not there."""
    if not len(labels) or not len(values):
        return np.full(len(values), -1, dtype=np.int64)
    place = np.minimum(np.searchsorted(labels, values), len(labels) - 1)
    return np.where(labels[place] == values, place, -1).astype(np.int64)
