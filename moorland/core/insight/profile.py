"""What tables hold at a glance: distinct values, blanks, small distributions; and how well relationships hold."""

from typing import Any

import numpy as np

from moorland.core.bundle.schema import Step
from moorland.core.bundle.shape import Shape
from moorland.core.engine.cells import json_values
from moorland.core.engine.columns import StoredColumn
from moorland.core.engine.model_data import ModelData
from moorland.core.language.vectors import Array, Mask

BINS = 16
TOP = 6


class Bin(Shape):
    """A bar of a small distribution: a range of numbers or days, or one value; `label` names it."""

    label: str
    rows: int


class ColumnProfile(Shape):
    """A column over all rows. `bars` are ranges in order where `ranged`, else the most frequent values; `others` counts the rows beyond them."""

    name: str
    type: str
    derived: bool
    distinct: int
    blank: int
    least: Any
    greatest: Any
    ranged: bool
    bars: list[Bin]
    others: int


class RelationshipHealth(Shape):
    """How many rows of the many side find no row on the one side, with the most frequent keys among them; blank keys are counted apart."""

    from_table: str
    from_column: str
    to_table: str
    to_column: str
    carries_up: bool
    rows: int
    matched: int
    blank: int
    unmatched: int
    unmatched_values: int
    samples: list[Bin]
    unused: int


def column_profile(data: ModelData, table: str, column: str) -> ColumnProfile:
    """Distinct values, blanks and a small distribution of a column."""
    stored = data.stored(table, column)
    rows = data.size(table)
    values, counts, blank = counted(stored, data.weights(table))
    derived = column not in data.tables[table].columns
    written = json_values(values[[0, -1]], np.ones(2, np.bool_)) if len(values) else [None, None]
    ranged = stored.type in ("integer", "number", "date", "timestamp") and len(values) > BINS
    bars = _ranges(values, counts, stored.type) if ranged else _frequent(values, counts)
    return ColumnProfile(
        name=column,
        type=stored.type,
        derived=derived,
        distinct=len(values),
        blank=blank,
        least=written[0],
        greatest=written[1],
        ranged=ranged,
        bars=bars,
        others=rows - blank - sum(bar.rows for bar in bars),
    )


def counted(stored: StoredColumn, weights: Array | None = None) -> tuple[Array, Array, int]:
    """Sorted distinct values (d,), their rows (d,), and blank rows; each row counts as often as its weight says."""
    if stored.codes is not None:
        counts = np.bincount(stored.codes[:-1].astype(np.int64) + 1, weights=weights, minlength=len(stored.values)).astype(np.int64)
        used = counts[1:] > 0
        return stored.values[:-1][used], counts[1:][used], int(counts[0])
    known = stored.known[:-1]
    values, places = np.unique(stored.values[:-1][known], return_inverse=True)
    each = None if weights is None else weights[known]
    counts = np.bincount(places, weights=each, minlength=len(values)).astype(np.int64)
    return values, counts, int((~known).sum() if weights is None else weights[~known].sum())


def _ranges(values: Array, counts: Array, type_: str) -> list[Bin]:
    numbers = values.astype(np.int64) if type_ in ("date", "timestamp") else values
    low, high = float(numbers[0]), float(numbers[-1])
    edges = np.linspace(low, high, BINS + 1)
    found = np.clip(np.searchsorted(edges, numbers.astype(np.float64), side="right") - 1, 0, BINS - 1)
    rows = np.bincount(found, weights=counts, minlength=BINS).astype(np.int64)
    shown = edges
    if type_ in ("date", "timestamp"):
        told = [str(value)[:10] for value in np.round(edges).astype(np.int64).astype(values.dtype)]
    else:
        told = [f"{edge:,.0f}" if high - low >= BINS else f"{edge:,.3g}" for edge in shown]
    return [Bin(label=f"{told[index]} to {told[index + 1]}", rows=int(rows[index])) for index in range(BINS)]


def _frequent(values: Array, counts: Array) -> list[Bin]:
    order = np.argsort(-counts, kind="stable")[:TOP]
    written = json_values(values[order], np.ones(len(order), np.bool_))
    return [Bin(label=str(value)[:60], rows=int(counts[place])) for value, place in zip(written, order.tolist(), strict=True)]


def relationship_health(data: ModelData, step: Step) -> RelationshipHealth:
    """How a relationship holds: keys compared as they are stored, before any base filter."""
    many, one = data.stored(step.many, step.column), data.stored(step.one, step.key)
    rows = data.size(step.many)
    values, counts, blank = counted(many, data.weights(step.many))
    keys, _, _ = counted(one)
    found = among(values, keys)
    lost = values[~found]
    return RelationshipHealth(
        from_table=step.many,
        from_column=step.column,
        to_table=step.one,
        to_column=step.key,
        carries_up=step.carries_up,
        rows=rows,
        matched=int(counts[found].sum()),
        blank=blank,
        unmatched=int(counts[~found].sum()),
        unmatched_values=len(lost),
        samples=_frequent(lost, counts[~found]),
        unused=int(len(keys) - among(keys, values).sum()),
    )


def among(values: Array, keys: Array) -> Mask:
    """Which of the values, sorted and distinct, are among the keys, sorted and distinct."""
    if len(keys) == 0:
        return np.zeros(len(values), np.bool_)
    places = np.minimum(np.searchsorted(keys, values), len(keys) - 1)
    return np.asarray(keys[places] == values, dtype=np.bool_)
