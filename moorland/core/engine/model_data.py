"""A model's data on a day: keys joined, base filters applied, masks of conditions kept (semantics.md 3.2, 3.7, 6.1)."""

import datetime
import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable, Mapping
from typing import Any

import numpy as np

from moorland.core.bundle.schema import Schema, Step
from moorland.core.engine.columns import StoredColumn, TableData
from moorland.core.language import tree
from moorland.core.language.checking import Scope, check_condition
from moorland.core.language.evaluation import true_rows
from moorland.core.language.vectors import Array, Domain, Mask, Vector

CACHE_BYTES = 512 * 1024 * 1024


class ArrayCache:
    """Arrays by what they were computed from; the least recently used make room."""

    def __init__(self, limit: int = CACHE_BYTES) -> None:
        self._entries: OrderedDict[Hashable, Array] = OrderedDict()
        self._bytes, self._limit = 0, limit
        self._lock = threading.Lock()

    def get(self, key: Hashable, make: Callable[[], Array]) -> Array:
        """The array under the key, made if it is missing."""
        with self._lock:
            found = self._entries.get(key)
            if found is not None:
                self._entries.move_to_end(key)
                return found
        made = make()
        with self._lock:
            if key not in self._entries:
                self._entries[key] = made
                self._bytes += made.nbytes
            while self._bytes > self._limit and len(self._entries) > 1:
                self._bytes -= self._entries.popitem(last=False)[1].nbytes
        return made


class ModelData:
    """The tables of a model joined by their keys, as of a day.

    Editing a role never rebuilds it; masks of conditions are cached under the condition and the viewer values it reads.
    """

    def __init__(self, schema: Schema, tables: Mapping[str, TableData], as_of: datetime.date, cache: ArrayCache | None = None) -> None:
        self.schema, self.tables, self.as_of = schema, tables, as_of
        self.cache = cache or ArrayCache()
        #: The strata made so far, by table and columns; None where they do not pay (engine.strata).
        self.strata: dict[tuple[str, tuple[str, ...]], Any] = {}
        self._joins: dict[tuple[str, str], Array] = {}
        self._paths: dict[tuple[str, str], Array] = {}
        self.base_masks: dict[str, Mask] = {}
        for name in schema.order:
            self._apply_base(name)

    def rows(self, table: str) -> int:
        """How many rows the table holds, those removed by base filters included."""
        return self.tables[table].rows

    def stored(self, table: str, column: str) -> StoredColumn:
        """The stored column."""
        return self.tables[table].columns[column]

    def join(self, step: Step) -> Array:
        """For each row of the many side the row of the one side, -1 where none matches; shape (n + 1)."""
        key = (step.many, step.column)
        if key not in self._joins:
            joined = match(self.stored(step.many, step.column), self.stored(step.one, step.key))
            base = self.base_masks.get(step.one)
            if base is not None:
                joined = np.where(np.append(base, False)[joined], joined, -1).astype(joined.dtype)
            self._joins[key] = joined
        return self._joins[key]

    def path(self, table: str, lookup: str) -> Array:
        """For each row of `table` the row of its lookup, -1 where there is none; shape (n + 1)."""
        key = (table, lookup)
        if key not in self._paths:
            steps = self.schema.paths[table][lookup]
            index = self.join(steps[0])
            for step in steps[1:]:
                index = self.join(step)[index]
            self._paths[key] = index
        return self._paths[key]

    def frame(self, table: str, viewer_values: Callable[[str], tuple[Any, ...] | None] | None = None) -> "RowsFrame":
        """Where conditions over the rows of a table find their columns."""
        return RowsFrame(self, table, viewer_values)

    def condition_mask(self, table: str, condition: tree.Node, text: str, viewer_values: Callable[[str], tuple[Any, ...] | None] | None) -> Mask:
        """The rows of a table for which a checked condition is true; cached. Shape (rows,)."""
        read = tuple(sorted((name, viewer_values(name) if viewer_values else None) for name in tree.viewer_values_read(condition)))
        frame = self.frame(table, viewer_values)
        return self.cache.get(("condition", table, text, read), lambda: true_rows(condition, frame, table, self.rows(table)))

    def _apply_base(self, name: str) -> None:
        """Rows left by the base filters of the table and of its lookups (3.7)."""
        text = self.schema.tables[name].base_filter
        mask: Mask | None = None
        if text is not None:
            condition = check_condition(text, Scope(schema=self.schema, table=name, viewer=False))
            mask = true_rows(condition, self.frame(name), name, self.rows(name))
        for step in self.schema.parents[name]:
            if step.one in self.base_masks:
                through = self.join(step)[:-1] >= 0
                mask = through if mask is None else mask & through
        if mask is not None:
            self.base_masks[name] = mask


class RowsFrame:
    """Reads the columns of one table and its lookups (language.vectors.Frame)."""

    def __init__(self, data: ModelData, table: str, viewer_values: Callable[[str], tuple[Any, ...] | None] | None) -> None:
        self.data, self.table, self._viewer_values = data, table, viewer_values

    @property
    def as_of(self) -> datetime.date:
        return self.data.as_of

    def column(self, table: str, column: str) -> Vector:
        stored = self.data.stored(table, column)
        return Vector(stored.values, stored.known, Domain(table, column if stored.codes is not None else None))

    def meet(self, first: Domain, second: Domain) -> Domain:
        if first == second:
            return first
        schema = self.data.schema
        if schema.reaches(first.table, second.table):
            return Domain(first.table)
        return Domain(second.table if schema.reaches(second.table, first.table) else self.table)

    def lift(self, vector: Vector, domain: Domain) -> Vector:
        values, known, source = vector.values, vector.known, vector.domain
        if source is None or source == domain:
            return vector
        if source.column is not None:
            codes = self.data.stored(source.table, source.column).codes
            assert codes is not None
            values, known = values[codes], known if len(known) == 1 else known[codes]
        if source.table != domain.table:
            index = self.data.path(domain.table, source.table)
            values, known = values[index], known if len(known) == 1 else known[index]
        return Vector(values, known, domain)

    def viewer_values(self, name: str) -> tuple[Any, ...] | None:
        return self._viewer_values(name) if self._viewer_values else None

    def page_values(self, name: str) -> tuple[Any, ...] | None:
        return None

    def aggregate(self, node: Any) -> Vector:
        raise LookupError("an aggregate is not read row by row")


def match(many: StoredColumn, key: StoredColumn) -> Array:
    """For each row of the many column the row whose key is equal, or -1."""
    if key.codes is not None:
        row_of_code = np.full(len(key.values), -1, dtype=np.int32)
        row_of_code[key.codes[:-1]] = np.arange(len(key.codes) - 1, dtype=np.int32)
        row_of_code[-1] = -1
        candidates, row_of = key.values[:-1], row_of_code
    else:
        order = np.argsort(key.values[:-1], kind="stable").astype(np.int32)
        candidates, row_of = key.values[:-1][order], np.append(order, np.int32(-1))
    if len(candidates) == 0:
        return np.full(len(many.codes if many.codes is not None else many.values), -1, dtype=np.int32)
    position = np.searchsorted(candidates, many.values)
    position = np.minimum(position, len(candidates) - 1)
    found = (candidates[position] == many.values) & many.known
    rows = np.where(found, row_of[position], -1).astype(np.int32)
    return rows[many.codes] if many.codes is not None else rows
