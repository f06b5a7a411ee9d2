"""Strata: the distinct combinations of the keys that security and the question read, with their counts and sums.

Every row of a stratum is visible to the same viewers and falls in the same group, so totals are computed on the strata of a
table instead of its rows: rows are touched once for each combination of keys and each measure, never for each viewer.
"""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from moorland.core.bundle.schema import Step
from moorland.core.engine.aggregates import aggregate
from moorland.core.engine.columns import StoredColumn, TableData
from moorland.core.engine.exact_sums import Sums
from moorland.core.engine.member_rules import MembersRule
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.visible import ViewerModel, roles_in
from moorland.core.language import tree
from moorland.core.language.checking import Scope, check_condition
from moorland.core.language.derived import ColumnKey
from moorland.core.language.evaluation import evaluate
from moorland.core.language.vectors import Array, Domain, Mask

#: Tables of fewer rows are counted row by row.
MIN_ROWS = 20_000
#: So many combinations are numbered in one dense array; more are not worth it.
MOST_COMBINATIONS = 1 << 24
#: Strata of a model's data are kept with their sums up to so many bytes; the oldest make room.
KEPT_BYTES = 512 * 1024 * 1024
#: Strata pay where there are at most this share of the rows.
MOST_SHARE = 0.25


@dataclass(frozen=True)
class Partial:
    """An aggregate's argument summed up by stratum: `counts` of values that are not null, and their sum (of numbers, exact) or extreme."""

    counts: Array
    values: Array | Sums

    def of(self, strata: Array | None) -> "Partial":
        """The same for some strata only; None for all."""
        if strata is None:
            return self
        return Partial(self.counts[strata], self.values.picked(strata) if isinstance(self.values, Sums) else self.values[strata])


class Strata:
    """The strata of a table by some of its own columns. `data` is the model with the table replaced by one row a stratum."""

    def __init__(self, data: ModelData, table: str, keys: tuple[str, ...], first_rows: Array, numbers: Array, counts: Array) -> None:
        self.data: ModelData = _StrataData(data, table, keys, first_rows)
        self.table, self.counts = table, counts
        self._whole, self._numbers = data, numbers
        self._partials: dict[tree.Aggregate, Partial | None] = {}

    @property
    def bytes(self) -> int:
        """Memory of the strata: the stratum of each row, and what is summed up."""
        partials = [part for part in self._partials.values() if part is not None]
        return self._numbers.nbytes + self.counts.nbytes + sum(part.counts.nbytes + part.values.nbytes for part in partials) + self.data.cache.bytes

    def partial(self, node: tree.Aggregate) -> Partial | None:
        """The argument of an aggregate by stratum, computed once; None where it cannot be summed up so."""
        if node not in self._partials:
            self._partials[node] = self._summed_up(node)
        return self._partials[node]

    def _summed_up(self, node: tree.Aggregate) -> Partial | None:
        if node.distinct:
            return None
        if node.argument is None:
            return Partial(self.counts, self.counts)
        frame = self._whole.frame(self.table)
        vector = frame.lift(evaluate(node.argument, frame), Domain(self.table))
        rows = len(self._numbers)
        values, known = np.broadcast_to(vector.values, rows + 1)[:rows], np.broadcast_to(vector.known, rows + 1)[:rows]
        size = len(self.counts)
        complete = bool(known.all())
        counts = self.counts if complete else np.bincount(self._numbers[known], minlength=size)
        if node.function == "COUNT":
            return Partial(counts, counts)
        if node.function in ("MIN", "MAX"):
            return Partial(counts, aggregate(node.function, False, values, known, self._numbers, size).values)
        if values.dtype == np.int64:
            largest = max(abs(int(values.max(initial=0))), abs(int(values.min(initial=0))))
            return Partial(counts, aggregate("SUM", False, values, known, self._numbers, size).values) if largest * rows < 2**53 else None
        return Partial(counts, Sums.of(values, self._numbers, size, None if complete else known))


class _StrataData(ModelData):
    """A model in which one table has a row for each stratum, with only the columns the strata are made by."""

    def __init__(self, whole: ModelData, table: str, keys: tuple[str, ...], first_rows: Array) -> None:
        self.schema, self.as_of, self.cache, self.derived = whole.schema, whole.as_of, type(whole.cache)(), whole.derived
        self._whole, self._table, self.left = whole, table, whole.left
        rows = np.append(first_rows, -1)
        columns = {name: _taken(whole.stored(table, name), rows) for name in keys}
        self.tables = {**whole.tables, table: TableData(f"strata of {whole.tables[table].version}", len(first_rows), columns)}
        base = whole.base(table)
        self._base = {table: base if base is None else base[first_rows]}
        self.strata, self.notes = {}, {}
        self._paths, self._computed, self._joins = {}, {}, {}

    @property
    def whole(self) -> ModelData:
        return self._whole

    def stored(self, table: str, column: str) -> StoredColumn:
        """A column of the strata, or of any other table as it is."""
        return self.tables[table].columns[column] if table == self._table else self._whole.stored(table, column)

    def weights(self, table: str) -> Array | None:
        return None if table == self._table else self._whole.weights(table)

    def strata_of(self, table: str) -> "Strata | None":
        found: Strata | None = None if table == self._table else self._whole.strata_of(table)
        return found

    def base(self, table: str) -> Mask | None:
        return self._base[table] if table == self._table else self._whole.base(table)

    def join(self, step: Step) -> Array:
        return super().join(step) if step.many == self._table else self._whole.join(step)

    def path(self, table: str, lookup: str) -> Array:
        return super().path(table, lookup) if table == self._table else self._whole.path(table, lookup)


class _ChosenRows(_StrataData):
    """A model in which one table has only some of its rows, whole."""

    def __init__(self, whole: ModelData, table: str, rows: Array) -> None:
        super().__init__(whole, table, (), rows)
        self._chosen = np.append(rows, -1)

    def stored(self, table: str, column: str) -> StoredColumn:
        if table != self._table:
            return self._whole.stored(table, column)
        if column not in self.tables[table].columns:
            self.tables[table].columns[column] = _taken(self._whole.stored(table, column), self._chosen)
        return self.tables[table].columns[column]


def chosen_rows(model: ViewerModel, table: str, rows: Array) -> ModelData | None:
    """A viewer's data with only some rows of a table, for looking at few of many; None where what is seen of them depends on the others.

    That is so where a restriction travels up, where the table has several names, and where its rows are each other's parents.
    """
    schema = model.data.schema
    if any(step.carries_up for steps in schema.parents.values() for step in steps) or len(schema.names_of(table)) > 1:
        return None
    rules = (rule for role in model.roles for rule in role.rows if isinstance(rule, MembersRule))
    if any(rule.table == table and rule.hierarchy.levels is None for rule in rules):
        return None
    return _ChosenRows(model.data, table, rows)


def _taken(stored: StoredColumn, rows: Array) -> StoredColumn:
    if stored.codes is not None:
        return StoredColumn(stored.type, stored.codes[rows], stored.values, stored.known)
    return StoredColumn(stored.type, None, stored.values[rows], stored.known[rows])


def strata_for(
    model: ViewerModel, table: str, asked: Iterable[ColumnKey] = (), aggregates: Iterable[tree.Aggregate] = (), beside: Iterable[ViewerModel] = ()
) -> Strata | None:
    """The strata on which these aggregates of a table can be counted for a viewer; None where rows have to be.

    With `beside`, other views of the same data can be counted on them too.
    """
    data = model.data
    schema = data.schema
    standing: Strata | None = data.strata_of(table)
    beyond = any(step.carries_up for steps in schema.parents.values() for step in steps) or len(schema.names_of(table)) > 1
    if standing is not None:
        return None if beyond or any(standing.partial(node) is None for node in aggregates) else standing
    if data.rows(table) < MIN_ROWS or beyond:
        return None
    keys = _keys_read((model, *beside), table, asked)
    if (table, keys) not in data.strata:
        made = _made(data, table, keys)
        while data.strata and sum(kept.bytes for kept in list(data.strata.values()) if kept) > KEPT_BYTES:
            data.strata.pop(next(iter(data.strata)), None)
        data.strata[table, keys] = made
    strata: Strata | None = data.strata.get((table, keys))
    if strata is None or any(strata.partial(node) is None for node in aggregates):
        return None
    return strata


def _keys_read(models: Sequence[ViewerModel], table: str, asked: Iterable[ColumnKey]) -> tuple[str, ...]:
    """The columns of the table on which the visibility of some views and the question depend: its own, and its keys toward lookups that are read."""
    schema = models[0].data.schema
    read = set(asked)
    keys: set[str] = set()
    for rows in roles_in(models):
        read |= {key for rule in rows.role.rows if rule.table == table for key in rule.reads}
        keys |= {step.column for step in schema.parents[table] if step.one in rows.restricted}
    base_filter = schema.tables[table].base_filter
    if base_filter is not None:
        read |= tree.columns_read(check_condition(base_filter, Scope(schema=schema, table=table, viewer=False, inner=True)))
    for owner, column in read:
        keys.add(column if owner == table else schema.paths[table][owner][0].column)
    return tuple(sorted(keys))


def _made(data: ModelData, table: str, keys: tuple[str, ...]) -> Strata | None:
    """The strata by some columns; None where there are too many for them to pay."""
    rows = data.rows(table)
    size = 1
    steps = {step.column: step for step in data.schema.parents[table]}
    columns: list[tuple[Array, int]] = []
    for name in keys:
        stored = data.stored(table, name)
        if stored.codes is not None:
            codes, distinct = stored.codes[:-1], len(stored.values)
        elif name in steps and not _reads_itself(data, table, name):
            codes, distinct = data.join(steps[name])[:-1], data.rows(steps[name].one) + 1
        else:
            return None
        columns.append((codes, distinct))
        size *= distinct
        if size > MOST_COMBINATIONS:
            return None
    numbers = np.empty(rows, dtype=np.int32)
    counts = np.zeros(size, dtype=np.int64)
    for block in blocks(rows, size):
        numbers[block] = _numbered(columns, block)
        counts += np.bincount(numbers[block], minlength=size)
    present = np.flatnonzero(counts)
    if len(present) > rows * MOST_SHARE:
        return None
    if len(present) < size:
        place = np.zeros(size, dtype=np.int32)
        place[present] = np.arange(len(present), dtype=np.int32)
        for block in blocks(rows, 0):
            numbers[block] = place[numbers[block]]
    return Strata(data, table, keys, _examples(numbers, len(present)), numbers, counts[present])


def blocks(rows: int, size: int) -> Iterator[slice]:
    """Rows in pieces that stay near the processor; in one where an array of so many entries is made for each piece."""
    step = 1 << 17 if size <= 1 << 17 else max(rows, 1)
    return (slice(start, min(start + step, rows)) for start in range(0, rows, step))


def _numbered(columns: list[tuple[Array, int]], block: slice) -> Array:
    """The combination of each row of a block as one number; null has the last place of its column."""
    result = np.zeros(block.stop - block.start, dtype=np.int32)
    for codes, distinct in columns:
        piece = codes[block]
        result *= np.int32(distinct)
        result += piece
        if len(piece) and piece.min() < 0:
            result[piece < 0] += np.int32(distinct)
    return result


def _examples(numbers: Array, size: int) -> Array:
    """A row of each stratum; which one does not matter. Looks at no more rows than it takes to have met every stratum."""
    rows = np.full(size, -1, dtype=np.int64)
    for start in range(0, len(numbers), 1 << 18):
        piece = numbers[start : start + (1 << 18)]
        rows[piece] = np.arange(start, start + len(piece))
        if (rows >= 0).all():
            break
    return rows


def _reads_itself(data: ModelData, table: str, column: str) -> bool:
    """A plain key column stands for the row it refers to; unmatched keys differ among themselves, so it must match everywhere."""
    step = next(step for step in data.schema.parents[table] if step.column == column)
    return bool((data.join(step)[:-1] < 0).any())
