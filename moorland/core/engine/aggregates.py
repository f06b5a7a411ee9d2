"""Aggregates over groups of rows, with SQL's treatment of nulls (semantics.md 4.7)."""

from typing import Any

import numpy as np

from moorland.core.engine.exact_sums import Sums
from moorland.core.language.vectors import Array, Domain, Mask, Vector

_EXACT = 2**53


def aggregate(function: str, distinct: bool, values: Array, known: Mask, groups: Array, size: int) -> Vector:
    """The aggregate of `values` in each of `size` groups.

    `values`, `known` and `groups` have one entry a row; nulls are left out. COUNT of nothing is 0, the others of nothing null.
    """
    if not known.all():
        values, groups = values[known], groups[known]
    if distinct:
        values, groups = _once_each(values, groups)
    return combined(function, None, values, groups, size)


def weighted(function: str, distinct: bool, values: Array, known: Mask, weights: Array, groups: Array, size: int) -> Vector:
    """The same for rows each of which stands for so many equal ones."""
    if distinct or function in ("MIN", "MAX"):
        return aggregate(function, distinct, values, known, groups, size)
    values, weights, groups = values[known], weights[known], groups[known]
    numbers = np.bincount(groups, weights=weights, minlength=size).astype(np.int64)
    if function == "COUNT":
        return finished(function, numbers, numbers)
    if values.dtype == np.int64:
        return finished(function, numbers, *_whole_sums(values, groups, size, weights))
    each = Sums.of(values, np.arange(len(values)), len(values)).by(lambda part: part * weights)
    return finished(function, numbers, *each.by(lambda part: np.bincount(groups, weights=part, minlength=size)).rounded())


def combined(function: str, counts: Array | None, values: Array | Sums, groups: Array, size: int) -> Vector:
    """The aggregate in each group of parts: how many values each part holds (None: one each), and their sum or extreme.

    A part without values counts for nothing, whatever stands in it.
    """
    if isinstance(values, Sums):
        assert counts is not None
        numbers = np.bincount(groups, weights=counts, minlength=size).astype(np.int64)
        return finished(function, numbers, *values.by(lambda part: np.bincount(groups, weights=part, minlength=size)).rounded())
    if counts is None:
        numbers = np.bincount(groups, minlength=size)
    else:
        held = counts > 0
        if not held.all():
            counts, values, groups = counts[held], values[held], groups[held]
        numbers = np.bincount(groups, weights=counts, minlength=size).astype(np.int64)
    if function == "COUNT":
        return finished(function, numbers, numbers)
    if function in ("SUM", "AVG"):
        if values.dtype == np.int64:
            return finished(function, numbers, *_whole_sums(values, groups, size))
        return finished(function, numbers, *Sums.of(values, groups, size).rounded())
    return finished(function, numbers, _extremes(function, values, groups, size))


def finished(function: str, counts: Array, values: Array, fits: Mask | None = None) -> Vector:
    """An aggregate from how many values count and their sum or extreme; null where none does, or where a sum is beyond its type (1.4, 4.7).

    `fits` says where a sum is within its type; None where all are.
    """
    if function == "COUNT":
        return Vector(counts.astype(np.int64), np.ones(len(counts), np.bool_))
    known = counts > 0
    if function in ("SUM", "AVG"):
        valid = fits if fits is not None else np.ones(len(values), np.bool_)
        values, known = np.where(valid, values, values.dtype.type(0)), known & valid
    if function == "AVG":
        values = values.astype(np.float64) / np.maximum(counts, 1)
    return Vector(values, known)


def _whole_sums(values: Array, groups: Array, size: int, weights: Array | None = None) -> tuple[Array, Mask]:
    """Sums of whole numbers by group, exact, and where they fit into 64 bits; each value so many times as its weight says."""
    largest = max(abs(int(values.max(initial=0))), abs(int(values.min(initial=0))))
    times = weights if weights is not None else np.ones(1, np.int64)
    if largest * max(len(values) if weights is None else int(weights.sum()), 1) < _EXACT:
        return np.bincount(groups, weights=values * times, minlength=size).astype(np.int64), np.ones(size, np.bool_)
    high, low = np.zeros(size, np.int64), np.zeros(size, np.int64)
    np.add.at(high, groups, (values >> 32) * times)
    np.add.at(low, groups, (values & 0xFFFFFFFF) * times)
    exact = [(int(top) << 32) + int(bottom) for top, bottom in zip(high, low, strict=True)]
    fits = np.array([-(2**63) <= total < 2**63 for total in exact], dtype=np.bool_)
    return np.array([total if fit else 0 for total, fit in zip(exact, fits, strict=True)], dtype=np.int64), fits


def _once_each(values: Array, groups: Array) -> tuple[Array, Array]:
    """Each distinct value of each group once."""
    distinct, codes = np.unique(values, return_inverse=True)
    pairs = np.unique(groups.astype(np.int64) * max(len(distinct), 1) + codes)
    return distinct[pairs % max(len(distinct), 1)], pairs // max(len(distinct), 1)


def _extremes(function: str, values: Array, groups: Array, size: int) -> Array:
    """The smallest or largest value of each group; groups without rows hold a value without meaning."""
    if values.dtype == object or values.dtype.kind == "M":
        distinct, codes = np.unique(values, return_inverse=True)
        if not len(distinct):
            return np.full(size, "", dtype=object) if values.dtype == object else np.zeros(size, dtype=values.dtype)
        picked: Array = distinct[np.clip(_extremes(function, codes.astype(np.int64), groups, size), 0, len(distinct) - 1)]
        return picked
    first = function == "MIN"
    bounds = (np.inf, -np.inf) if values.dtype == np.float64 else (np.iinfo(np.int64).max, np.iinfo(np.int64).min)
    result = np.full(size, bounds[0] if first else bounds[1], dtype=values.dtype)
    (np.minimum if first else np.maximum).at(result, groups, values)
    result[np.bincount(groups, minlength=size) == 0] = 0
    return result


class AggregatesFrame:
    """What stands around the aggregates of a measure finds nothing but them: no column, no viewer, one domain (4.7)."""

    def column(self, table: str, column: str) -> Vector:
        raise LookupError(f"{table}.{column} stands outside an aggregate")

    def meet(self, first: Domain, second: Domain) -> Domain:
        return first

    def lift(self, vector: Vector, domain: Domain) -> Vector:
        return vector

    def viewer_values(self, name: str) -> tuple[Any, ...] | None:
        return None

    def page_values(self, name: str) -> tuple[Any, ...] | None:
        return None

    def inner(self, node: Any) -> tuple[list[Any], bool]:
        raise LookupError("a measure has no inner query")

    def truth(self, node: Any) -> Vector | None:
        return None
