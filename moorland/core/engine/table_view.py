"""A table as a viewer has it: which rows, in which order, with the state of each cell and what is shown in it (semantics.md 6.4, 6.5, 7.1).

The one place where these are worked out: answers, traces, promises, effects and impact all look through a TableView.
"""

import hashlib
from collections.abc import Iterable
from functools import cached_property
from typing import Any

import numpy as np
import pyarrow as pa

from moorland.core.bundle.shape import ValueType
from moorland.core.engine.cells import arrow_of, cell_arrow, cell_values, codes_of
from moorland.core.engine.masking import CLEAR, ShownColumn
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.questions import CellState
from moorland.core.engine.visible import RoleRows, ViewerModel
from moorland.core.language.derived import ColumnKey
from moorland.core.language.vectors import Array, Mask


class TableView:
    """The rows of a table visible through some grant roles, and the states of their cells (6.4, 6.5)."""

    def __init__(self, model: ViewerModel, table: str, grants: Iterable[RoleRows]) -> None:
        self.model, self.table, self.grants = model, table, list(grants)
        self._states: dict[ColumnKey, Array | int] = {}

    @cached_property
    def rows(self) -> Mask:
        """The rows, as a mask of shape (rows,)."""
        mask = self.model.rows(self.table, self.grants)
        return np.ones(self.model.data.rows(self.table), dtype=np.bool_) if mask is None else mask

    def states(self, key: ColumnKey) -> Array | int:
        """The state of a column in each row of the table: one for all, or shape (rows,).

        The least covering of the grants that have the row, then the most covering of the limits (6.5); hidden where the column does not exist.
        """
        if key not in self._states:
            self._states[key] = self._computed(key) if key in self.model.objects.columns else self.model.ladder.hidden
        return self._states[key]

    def _computed(self, key: ColumnKey) -> Array | int:
        model, table = self.model, self.table
        states = [grant.states(table, key) for grant in self.grants]
        result: Array | int
        if len({state for state in states if isinstance(state, int)}) == 1 and all(isinstance(state, int) for state in states):
            result = states[0]
        else:
            result = np.full(model.data.rows(table), model.ladder.hidden, dtype=np.int16)
            for grant, state in zip(self.grants, states, strict=True):
                mask = grant.of(table)
                least = np.minimum(result, state)
                result = least if mask is None else np.where(mask, least, result)
        for limit in model.limits:
            result = np.maximum(result, limit.states(table, key))
        return int(result) if np.ndim(result) == 0 else np.asarray(result)

    def states_in(self, key: ColumnKey, rows: Array) -> Array:
        """The state of a column in some rows; hidden in those that are not of the view."""
        states = self.states(key)
        return np.where(self.rows[rows], states if isinstance(states, int) else states[rows], self.model.ladder.hidden).astype(np.int16)

    def names_in(self, key: ColumnKey, rows: Array) -> list[CellState]:
        """The states of a column in some rows as answers give them."""
        return self.model.ladder.names(self.states_in(key, rows))

    def shown(self, key: ColumnKey, secret: bytes) -> "ShownCells":
        """What the viewer is shown of a column."""
        return ShownCells(self, key, secret)

    def ordered(self, rows: Array, order: Iterable[tuple[ColumnKey, bool]], secret: bytes) -> Array:
        """Some rows in the order asked for: by shown values, nulls last, ties by the key where it is clear, else by a keyed hash (7.1)."""
        model, table = self.model, self.table
        keys: list[Array] = []
        for column, descending in order:
            ranks, null = self.shown(column, secret).ranks(rows)
            keys += [null, np.where(null, 0, -ranks if descending else ranks)]
        key = model.data.schema.tables[table].key
        if key is not None:
            clear = self.states_in((table, key), rows) == CLEAR
            ranks, _ = _ranks(model.data, table, (table, key), rows)
            keys += [~clear, np.where(clear, ranks, 0)]
            if not clear.all():
                keys.append(np.where(clear, np.uint64(0), self._hashed(rows, secret)))
        else:
            keys.append(self._hashed(rows, secret))
        result: Array = rows[np.lexsort(keys[::-1])]
        return result

    def _hashed(self, rows: Array, secret: bytes) -> Array:
        """A keyed 64-bit hash of the cells of some rows that are clear: an order that nothing covered can change. Shape of `rows`, uint64."""
        data, table = self.model.data, self.table
        result = np.full(len(rows), int.from_bytes(hashlib.blake2b(table.encode(), key=secret[:64], digest_size=8).digest(), "little"), np.uint64)
        for column in data.schema.tables[table].columns:
            if column.derived or (table, column.name) not in self.model.objects.columns:
                continue
            clear = self.states_in((table, column.name), rows) == CLEAR
            result = _mix(result ^ np.where(clear, _hashed_cells(data, table, column.name, secret)[rows], _COVERED))
        return result


def visible_table(model: ViewerModel, table: str) -> TableView:
    """The rows a viewer sees of a table, listed or only counted (6.4), with what may be *learned* of their cells.

    That is the least covering over rows and over groupings by the column: a role that lists no rows still groups by what it shows (6.5, 7.2).
    """
    return TableView(model, table, model.granting((), (table,)))


def listed_table(model: ViewerModel, table: str, export: bool = False) -> TableView:
    """The rows a viewer may list, and the states of their cells in rows (6.5, 7.1); with `export`, those that may be exported (5.7)."""
    return TableView(model, table, model.exporting(table) if export else model.listing(table))


class ShownCells:
    """One column of a view as it is shown."""

    def __init__(self, view: TableView, key: ColumnKey, secret: bytes) -> None:
        self._view, self._key = view, key
        states = view.states(key)
        distinct = [states] if isinstance(states, int) else np.unique(states).tolist()
        ladder = view.model.ladder
        self._plain = all(state in (CLEAR, ladder.hidden) for state in distinct)
        self._shown = None if self._plain else ShownColumn(view.model.data, key, ladder, distinct, secret)

    def values(self, rows: Array) -> list[Any]:
        """The JSON values shown in some rows; null where nothing is."""
        view, data = self._view, self._view.model.data
        states = view.states_in(self._key, rows)
        if self._shown is None:
            return cell_values(data, view.table, self._key, rows, states == CLEAR)
        return self._shown.values(self._shown.numbers(states, codes_of(data, view.table, self._key, rows)))

    def arrow(self, rows: Array, type_: ValueType) -> pa.Array:
        """What is shown in some rows as an Arrow array of a type; null where nothing is."""
        view, data = self._view, self._view.model.data
        states = view.states_in(self._key, rows)
        if self._shown is None:
            return cell_arrow(data, view.table, self._key, rows, states == CLEAR, type_)
        numbers = self._shown.numbers(states, codes_of(data, view.table, self._key, rows))
        labels = arrow_of(self._shown.labels, type_)
        return labels.take(pa.array(np.where(numbers < 0, 0, numbers), mask=numbers < 0)) if len(labels) else pa.nulls(len(rows), labels.type)

    def ranks(self, rows: Array) -> tuple[Array, Mask]:
        """Numbers that sort some rows as the shown values do, and where nothing is shown."""
        view, data = self._view, self._view.model.data
        states = view.states_in(self._key, rows)
        if self._shown is None:
            ranks, null = _ranks(data, view.table, self._key, rows)
            return ranks, null | (states != CLEAR)
        numbers = self._shown.numbers(states, codes_of(data, view.table, self._key, rows))
        return numbers, numbers < 0


def _ranks(data: ModelData, table: str, key: ColumnKey, selected: Array) -> tuple[Array, Mask]:
    """Numbers that sort as the values do, and where the value is null, for the selected rows."""
    owner, column = key
    stored = data.stored(owner, column)
    index = selected if owner == table else data.path(table, owner)[selected]
    if stored.codes is not None:
        codes = stored.codes[index].astype(np.int64)
        return codes, codes < 0
    values = stored.values[index]
    null = ~stored.known[index]
    return (values.astype(np.float64) if values.dtype == np.float64 else values.astype(np.int64)), null


#: What stands for a cell that is not clear in the hash of its row.
_COVERED = np.uint64(0xD1B54A32D192ED03)


def _hashed_cells(data: ModelData, table: str, column: str, secret: bytes) -> Array:
    """A number for each cell of a column, equal for equal values; of texts a keyed hash. Shape (rows,), uint64."""

    def make() -> Array:
        stored = data.stored(table, column)
        if stored.values.dtype == object:
            hashes = [hashlib.blake2b(str(value).encode(), key=secret[:64], digest_size=8).digest() for value in stored.values]
            mixed = np.frombuffer(b"".join(hashes), dtype="<u8").copy()
        else:
            plain = stored.values.astype("datetime64[us]") if stored.values.dtype.kind == "M" else stored.values
            mixed = np.ascontiguousarray(plain.astype(np.int64) if plain.dtype != np.float64 else plain).view(np.uint64).copy()
        mixed[~stored.known] = np.uint64(0x9E3779B97F4A7C15)
        return (mixed if stored.codes is None else mixed[stored.codes])[:-1]

    return data.cache.get(("hash", table, column, secret), make)


def _mix(values: Array) -> Array:
    values = (values ^ (values >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    values = (values ^ (values >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    result: Array = values ^ (values >> np.uint64(31))
    return result
