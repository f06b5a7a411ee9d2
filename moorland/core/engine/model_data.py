"""A model's data on a day: keys joined, derived columns computed, base filters applied (semantics.md 3.2 to 3.7, 6.1)."""

import copy
import datetime
import sys
import threading
import weakref
from collections import OrderedDict
from collections.abc import Callable, Hashable, Mapping
from typing import Any

import numpy as np

from moorland.core.bundle.schema import Schema, Step
from moorland.core.engine.columns import StoredColumn, TableData, encode_values
from moorland.core.engine.missing import read_missing
from moorland.core.engine.unanswered import LeftInPlace
from moorland.core.language import tree
from moorland.core.language.checking import Scope, check_condition
from moorland.core.language.derived import Derived, DerivedColumn
from moorland.core.language.evaluation import evaluate, true_rows
from moorland.core.language.vectors import DTYPES, Array, Domain, Mask, Vector, converted

ViewerValues = Callable[[str], tuple[Any, ...] | None]
#: What all caches together may hold, with the texts in it.
CACHE_BYTES = 1024 * 1024 * 1024


class ArrayCache:
    """Arrays by what they were computed from; over all caches together the largest gives up what it used least recently."""

    _all: "weakref.WeakSet[ArrayCache]" = weakref.WeakSet()
    _lock = threading.Lock()

    def __init__(self) -> None:
        self._entries: OrderedDict[Hashable, tuple[Array, int]] = OrderedDict()
        self._bytes = 0
        with self._lock:
            self._all.add(self)

    @property
    def bytes(self) -> int:
        """Memory of the arrays kept."""
        return self._bytes

    def get(self, key: Hashable, make: Callable[[], Array]) -> Array:
        """The array under the key, made if it is missing."""
        with self._lock:
            found = self._entries.get(key)
            if found is not None:
                self._entries.move_to_end(key)
                return found[0]
        made = make()
        with self._lock:
            if key not in self._entries:
                size = array_bytes(made)
                self._entries[key] = (made, size)
                self._bytes += size
            while sum(cache._bytes for cache in self._all) > CACHE_BYTES:
                largest = max(self._all, key=lambda cache: cache._bytes)
                largest._bytes -= largest._entries.popitem(last=False)[1][1]
        return made


def array_bytes(array: Array) -> int:
    """The memory of an array; of texts, by a thousand of them."""
    if array.dtype != object or not len(array):
        return array.nbytes
    some = array[:: max(1, len(array) // 1000)]
    return array.nbytes + sum(map(sys.getsizeof, some)) * len(array) // len(some)


class ModelData:
    """The tables of a model joined by their keys, as of a day.

    Editing a role never rebuilds it; masks of conditions are cached under the condition and the viewer values it reads.
    """

    def __init__(
        self,
        schema: Schema,
        tables: Mapping[str, TableData],
        as_of: datetime.date,
        derived: Derived | None = None,
    ) -> None:
        self.schema, self.as_of = schema, as_of
        self.tables = {name: tables[schema.original(name)] for name in schema.tables}
        self.derived: Derived = derived or {}
        #: The tables, and their other names, whose rows stay in their engine.
        self.left = frozenset(name for name, data in self.tables.items() if data.in_place is not None)
        #: The tables, and their other names, whose source is not chosen for whoever asks, with the attributes that are not set.
        self.missing = {name: data.missing for name, data in self.tables.items() if data.missing}
        self.cache = ArrayCache()
        #: The strata made so far, by table and columns; None where they do not pay (engine.strata).
        self.strata: dict[tuple[str, tuple[str, ...]], Any] = {}
        #: What rules keep beside the data, by what it was made from (engine.rules).
        self.notes: dict[Hashable, Any] = {}
        self._computed: dict[tuple[str, str], StoredColumn] = {}
        self._joins: dict[tuple[str, str], Array] = {}
        self._paths: dict[tuple[str, str], Array] = {}
        self._base: dict[str, Mask | None] = {}

    def with_made(self, made: Derived) -> "ModelData":
        """The same data with columns made for one question; what is computed of them goes with it."""
        if not made:
            return self
        other = copy.copy(self)
        other.derived = {**self.derived, **made}
        other.strata, other._computed = dict(self.strata), dict(self._computed)
        return other

    @property
    def whole(self) -> "ModelData":
        """The model with every row of every table; strata stand for it (engine.strata)."""
        return self

    def rows(self, table: str) -> int:
        """How many rows the table holds, those removed by base filters included."""
        if table in self.left:
            raise LeftInPlace(self.schema.model.name, self.schema.original(table))
        return self.tables[table].rows

    def weights(self, table: str) -> Array | None:
        """How many rows each row of the table stands for; None where each is one (engine.in_place)."""
        return None

    def counted(self, table: str, chosen: Array) -> int:
        """How many rows a mask of the table, or some places in it, stand for."""
        weights = self.weights(table)
        return int(np.count_nonzero(chosen) if chosen.dtype == np.bool_ else len(chosen)) if weights is None else int(weights[chosen].sum())

    def size(self, table: str) -> int:
        """How many rows the table holds, wherever they are."""
        held = self.tables[table].in_place
        if held is not None:
            return held.rows()
        weights = self.weights(table)
        return self.rows(table) if weights is None else int(weights.sum())

    def truth_of(self, table: str, node: tree.Node) -> Vector | None:
        """What a condition over a table comes to, row by row, where it is known without its columns (engine.in_place)."""
        return None

    def strata_of(self, table: str) -> Any:
        """The rows that stand for those of a table left in place, as strata; None for every other table."""
        return None

    def stored(self, table: str, column: str) -> StoredColumn:
        """The column as arrays; a derived one is computed once, over the rows of the table that declares it (3.4)."""
        found = self.tables[table].columns.get(column)
        if found is None:
            key = (self.schema.original(table), column)
            if table in self.left and key not in self.derived:
                raise LeftInPlace(self.schema.model.name, *key)
            if key not in self._computed:
                self._computed[key] = self._compute(self.derived[key])
            found = self._computed[key]
        return found

    def _compute(self, derived: DerivedColumn) -> StoredColumn:
        table = derived.key[0]
        if derived.expression is not None:
            frame = self.frame(table)
            vector = converted(evaluate(derived.expression, frame), str(derived.expression.type), derived.type)
            if vector.domain is None:
                vector = Vector(np.repeat(vector.values, self.rows(table) + 1), np.repeat(vector.known, self.rows(table) + 1), Domain(table))
            if vector.domain is not None and (vector.domain.table != table or vector.domain.column is None):
                vector = frame.lift(vector, Domain(table))
        else:
            assert derived.of is not None
            source = self.stored(*derived.of)
            vector = _mapped(derived, source)
        entries = encode_values(vector.values, np.broadcast_to(vector.known, vector.values.shape), derived.type)
        codes = self.stored(table, vector.domain.column).codes if vector.domain is not None and vector.domain.column is not None else None
        return entries.taken(codes if codes is not None else np.arange(self.rows(table) + 1))

    def base(self, table: str) -> Mask | None:
        """Rows left by the base filters of the table and of its lookups (3.7), shape (rows,); None where there are none."""
        if table not in self._base:
            self._base[table] = self._make_base(table)
        return self._base[table]

    def _make_base(self, table: str) -> Mask | None:
        original = self.schema.original(table)
        text = self.schema.tables[original].base_filter
        mask: Mask | None = None
        if text is not None:
            condition = check_condition(text, Scope(schema=self.schema, table=original, viewer=False, inner=True))
            if read_missing(self.schema, self.derived, self.missing, original, [condition]):
                mask = np.zeros(self.rows(original), dtype=np.bool_)
            else:
                mask = true_rows(condition, self.frame(original), original, self.rows(original))
        for step in self.schema.parents[table]:
            if self.base(step.one) is not None:
                through = self.join(step)[:-1] >= 0
                mask = through if mask is None else mask & through
        return mask

    def join(self, step: Step) -> Array:
        """For each row of the many side the row of the one side, -1 where none matches; shape (n + 1)."""
        key = (step.many, step.column)
        if key not in self._joins:
            joined = match(self.stored(step.many, step.column), self.stored(step.one, step.key))
            base = self.base(step.one)
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

    def frame(self, table: str, viewer_values: ViewerValues | None = None) -> "RowsFrame":
        """Where conditions over the rows of a table find their columns."""
        return RowsFrame(self, table, viewer_values)

    def original_frame(self, table: str, viewer_values: ViewerValues | None = None) -> "RowsFrame":
        """The same for the table that an alias reads, row for row: with the original's own lookups (3.3)."""
        original = self.schema.original(table)
        return self.frame(table, viewer_values) if original == table else self.whole.frame(original, viewer_values)

    def condition_mask(self, table: str, condition: tree.Node, text: str, viewer_values: ViewerValues | None) -> Mask:
        """The rows of a table for which a checked condition is true; cached. Shape (rows,)."""
        frame = self.frame(table, viewer_values)
        key = ("condition", table, text, values_read(condition, viewer_values))
        return self.cache.get(key, lambda: true_rows(condition, frame, table, self.rows(table)))

    def inner_values(self, query: tree.InnerQuery, viewer_values: ViewerValues | None) -> tuple[list[Any], bool]:
        """The distinct values an inner query selects from its table, read whole and before base filters, and whether null is among them (4.6, 12.3)."""
        assert isinstance(query.column, tree.ColumnRef)
        stored = self.stored(query.table, query.column.column)
        mask = np.ones(self.rows(query.table), dtype=np.bool_)
        if query.where is not None:
            mask = true_rows(query.where, self.frame(query.table, viewer_values), query.table, self.rows(query.table))
        if stored.codes is not None:
            codes = np.unique(stored.codes[:-1][mask])
            return stored.values[codes[codes >= 0]].tolist(), bool((codes < 0).any())
        known = stored.known[:-1]
        return np.unique(stored.values[:-1][mask & known]).tolist(), bool((mask & ~known).any())


def values_read(condition: tree.Node, viewer_values: ViewerValues | None) -> tuple[Any, ...]:
    """The values of the viewer that a condition reads: equal ones give equal results."""
    return tuple(sorted((name, viewer_values(name) if viewer_values else None) for name in tree.viewer_values_read(condition)))


def _mapped(derived: DerivedColumn, source: StoredColumn) -> Vector:
    """What a mapping gives each row, or each distinct value, of its source; null and unlisted values give `else` (12.4)."""
    results = [derived.otherwise, *derived.values.values()]
    number_of = {value: index + 1 for index, value in enumerate(derived.values)}
    distinct, places = (source.values, None) if source.codes is not None else np.unique(source.values, return_inverse=True)
    plain = distinct.tolist()
    chosen = np.array([number_of.get(value, 0) for value in plain], dtype=np.int64)
    chosen = chosen if places is None else chosen[places]
    chosen[~source.known] = 0
    known = np.array([value is not None for value in results], dtype=np.bool_)
    values = np.empty(len(results), dtype=DTYPES[derived.type])
    for index, value in enumerate(results):
        values[index] = value if value is not None else ("" if derived.type == "text" else 0)
    assert derived.of is not None
    return Vector(values[chosen], known[chosen], Domain(derived.of[0], derived.of[1] if source.codes is not None else None))


class RowsFrame:
    """Reads the columns of one table and its lookups (language.vectors.Frame)."""

    def __init__(self, data: ModelData, table: str, viewer_values: ViewerValues | None) -> None:
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

    def inner(self, node: Any) -> tuple[list[Any], bool]:
        return self.data.whole.inner_values(node, self._viewer_values)

    def aggregate(self, node: Any) -> Vector:
        raise LookupError("an aggregate is not read row by row")

    def truth(self, node: Any) -> Vector | None:
        return self.data.truth_of(self.table, node)


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
