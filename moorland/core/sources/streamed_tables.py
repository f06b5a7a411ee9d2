"""A table of more rows than are kept in memory: its strata, and the rows of a page, are gathered from parts that are read one after another.

It is a table left where it is (sources.md 18), whose engine is this module: two parts are worked on at once, and no more than three are held.
"""

import math
import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from typing import Protocol, TypeVar

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from moorland.core.bundle.model import Table
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.shape import ValueType
from moorland.core.engine.aggregates import aggregate
from moorland.core.engine.columns import ARROW_TYPES, StoredColumn, TableData, coded, encode
from moorland.core.engine.exact_sums import Grid, Sums, sums_on_grids
from moorland.core.engine.in_place import KeptRows, StrataRows, TooManyStrata
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.strata import Partial
from moorland.core.engine.unanswered import SourceFailed
from moorland.core.language import tree
from moorland.core.language.evaluation import evaluate
from moorland.core.language.vectors import DTYPES, Array, Domain, Mask
from moorland.core.price import step
from moorland.core.sources.tables_in_place import MOST_STRATA, plain_column

_Result = TypeVar("_Result")
#: So many parts are read and worked on at once, and one more is waited for.
AT_ONCE = 2
#: Up to so many combinations of a part are numbered in one dense array.
_DENSE = 1 << 22
_EXACT = 2**53
#: Tables of more rows than this are not kept in memory.
MOST_ROWS_HERE = 30_000_000


def is_streamed(table: Table, rows: int) -> bool:
    """Whether a table of so many rows is read part by part: one of many rows, without a key, which would have to be looked at whole (18.8)."""
    return table.key is None and rows > most_rows_here()


def most_rows_here() -> int:
    """How many rows of a table are kept in memory, as the machine says by MOORLAND_MOST_ROWS. Raises BundleError where it says no number."""
    written = os.environ.get("MOORLAND_MOST_ROWS", "")
    if written and not written.isdigit():
        raise BundleError([Problem("settings", f"{written!r} is no number of rows.", "MOORLAND_MOST_ROWS")])
    return int(written) if written else MOST_ROWS_HERE


class Parts(Protocol):
    """Where the rows are: cut into parts, each small enough to be held."""

    rows: int

    def read(self, columns: Sequence[str]) -> Iterator[Callable[[], pa.Table]]:
        """The parts in their order: each to be read by whoever has room for it, as columns of their declared Arrow types."""
        ...


class StreamedTable:
    """The rows of some parts as a declared table left in place."""

    def __init__(self, parts: Parts, table: Table) -> None:
        self._parts, self._table = parts, table
        self._types: dict[str, ValueType] = {column.name: column.type for column in table.columns if not column.derived}

    def rows(self) -> int:
        """How many rows there are."""
        return self._parts.rows

    def parts(self) -> Iterator[pa.Table]:
        """All rows, part by part. Raises SourceFailed where they cannot be read as declared."""
        return self._worked_on(list(self._types), lambda part: part)

    def writes(self, condition: tree.Node, data: ModelData) -> bool:
        """Whether a condition can be worked out part by part: any over its own columns can."""
        return True

    def strata(self, columns: Sequence[str], truths: Sequence[tree.Node], aggregates: Sequence[tree.Aggregate], data: ModelData) -> StrataRows:
        """The strata by some columns and conditions. Raises TooManyStrata, and SourceFailed where the parts cannot be read as declared."""
        read = sorted({*columns, *(name for node in (*truths, *aggregates) for _, name in tree.columns_read(node))})
        gathering = _Gathering([self._types[name] for name in columns], len(truths), aggregates, self._parts.rows)

        def counted(part: pa.Table) -> _Part:
            return _counted(_part_data(data, self._table, part), self._table.name, columns, truths, aggregates, self._parts.rows)

        for part in self._worked_on(read, counted):
            gathering.add(part)
            if gathering.size > MOST_STRATA:
                raise TooManyStrata(f"{self._table.title} has more than {MOST_STRATA:,} combinations of {', '.join(columns)}. Ask by fewer columns.")
        return gathering.strata(columns, truths)

    def page(self, columns: Sequence[str], kept: KeptRows, offset: int, limit: int, data: ModelData) -> dict[str, StoredColumn]:
        """Some rows in an order. Raises SourceFailed where the parts cannot be read as declared."""
        matching = _Matching(kept)
        by = [item for item, _ in kept.order if isinstance(item, str)]
        read = sorted({*columns, *by, *(kept.columns or {}), *(name for node in kept.truths for _, name in tree.columns_read(node))})
        directions = [(f"o{place}", "descending" if descending else "ascending") for place, (_, descending) in enumerate(kept.order)]

        def found(part: pa.Table) -> pa.Table:
            entries = matching.entries(_part_data(data, self._table, part), self._table.name)
            rows = np.flatnonzero(entries >= 0)
            made = {f"c{place}": part.column(name).take(rows) for place, name in enumerate(columns)}
            for place, (item, _) in enumerate(kept.order):
                made[f"o{place}"] = part.column(item).take(rows) if isinstance(item, str) else pa.chunked_array([kept.ranks[item][entries[rows]]])
            return _first(pa.table({**made, "one": pa.chunked_array([np.ones(len(rows), np.int64)])}), directions, offset + limit)

        best: pa.Table | None = None
        for some in self._worked_on(read, found):
            best = some if best is None else _first(pa.concat_tables([best, some]), directions, offset + limit)
            if not directions and best.num_rows >= offset + limit:
                break
        shown = (best if best is not None else found(self._nothing(read))).slice(offset, limit)
        result = {name: encode(shown.column(f"c{place}"), self._types[name]) for place, name in enumerate(columns)}
        result[""] = encode(shown.column("one"), "integer")
        return result

    def _nothing(self, columns: Iterable[str]) -> pa.Table:
        return pa.table({name: pa.chunked_array([], type=ARROW_TYPES[self._types[name]]) for name in columns})

    def _worked_on(self, columns: Sequence[str], work: Callable[[pa.Table], _Result]) -> Iterator[_Result]:
        """What becomes of each part, in their order."""
        waiting: deque[Future[_Result]] = deque()
        with ThreadPoolExecutor(max_workers=AT_ONCE, thread_name_prefix="parts") as workers:
            try:
                for read in self._parts.read(columns):
                    step()
                    waiting.append(workers.submit(_done, read, work))
                    if len(waiting) > AT_ONCE:
                        yield waiting.popleft().result()
                while waiting:
                    step()
                    yield waiting.popleft().result()
            except (BundleError, OSError, pa.ArrowException, ValueError) as wrong:
                said = wrong.problems[0].sentence() if isinstance(wrong, BundleError) else str(wrong)
                raise SourceFailed(self._table.name, f"The rows of {self._table.title} cannot be read: {said}") from None
            finally:
                for one in waiting:
                    one.cancel()


def _done(read: Callable[[], pa.Table], work: Callable[[pa.Table], _Result]) -> _Result:
    return work(read())


def _first(rows: pa.Table, directions: list[tuple[str, str]], most: int) -> pa.Table:
    """The first rows in an order, nulls last; as they come where there is none."""
    if not directions:
        return rows.slice(0, most)
    # Texts are ordered by their bytes, which is by code point.
    order = pc.sort_indices(rows, sort_keys=directions, null_placement="at_end")
    return rows.take(order.slice(0, most))


def _part_data(data: ModelData, table: Table, part: pa.Table) -> ModelData:
    """A model in which a table has the rows of one part."""
    columns = {name: encode(part.column(name), column.type) for column in table.columns if (name := column.name) in part.column_names}
    tables = {data.schema.original(name): held for name, held in data.tables.items()}
    return ModelData(data.schema, {**tables, table.name: TableData("a part", part.num_rows, columns)}, data.as_of, data.derived)


@dataclass(frozen=True)
class _Part:
    """The strata of one part: by key the entry of each stratum in a dictionary (-1 is null), counts, and what aggregates come to."""

    keys: list[tuple[Array, Array]]
    counts: Array
    sums: "list[_PartialSums | None]"


@dataclass(frozen=True)
class _PartialSums:
    """What an aggregate comes to in the strata of a part; `largest` bounds whole numbers."""

    counts: Array
    grids: dict[Grid, Array]
    values: Array | None
    largest: int = 0


def _counted(data: ModelData, table: str, columns: Sequence[str], truths: Sequence[tree.Node], aggregates: Sequence[tree.Aggregate], rows: int) -> _Part:
    """The strata of a part of a table of so many rows."""
    here = data.rows(table)
    keys = [_coded(data.stored(table, name)) for name in columns] + [_truth(data, table, node, here) for node in truths]
    numbers, present = _numbered(keys, here)
    size = len(present)
    counts = np.bincount(numbers, minlength=size)
    firsts = np.empty(size, dtype=np.int64)
    firsts[numbers] = np.arange(here)
    found = [(codes[firsts], values) for codes, values in keys]
    return _Part(found, counts, [_summed(data, table, node, numbers, size, rows) for node in aggregates])


def _coded(stored: StoredColumn) -> tuple[Array, Array]:
    """A column as entries of a dictionary; -1 is null."""
    if stored.codes is not None:
        return stored.codes[:-1], stored.values[:-1]
    values, codes = np.unique(stored.values[:-1], return_inverse=True)
    return np.where(stored.known[:-1], codes, -1), values


def _truth(data: ModelData, table: str, node: tree.Node, rows: int) -> tuple[Array, Array]:
    """What a condition comes to: unknown, false or true."""
    frame = data.frame(table)
    vector = frame.lift(evaluate(node, frame), Domain(table))
    values, known = np.broadcast_to(vector.values, rows + 1)[:-1], np.broadcast_to(vector.known, rows + 1)[:-1]
    return np.where(known, values.astype(np.int8), np.int8(-1)) + 1, np.array([-1, 0, 1], dtype=np.int8)


def _numbered(keys: list[tuple[Array, Array]], rows: int) -> tuple[Array, Array]:
    """The number of each row's combination, and the combinations there are."""
    size = math.prod(len(values) + 1 for _, values in keys)
    kind = np.int32 if size < 1 << 31 else np.int64
    numbers: Array = np.zeros(rows, dtype=kind)
    size = 1
    for codes, values in keys:
        distinct = len(values) + 1
        if size * distinct >= 1 << 62:
            found, numbers = np.unique(numbers, return_inverse=True)
            size = len(found)
        np.multiply(numbers, kind(distinct), out=numbers)
        np.add(numbers, codes, out=numbers, casting="unsafe")
        if len(codes) and codes.min() < 0:
            numbers[codes < 0] += kind(distinct)
        size *= distinct
    if size > _DENSE:
        found, inverse = np.unique(numbers, return_inverse=True)
        return inverse, found
    present = np.flatnonzero(np.bincount(numbers, minlength=size))
    place = np.zeros(size, dtype=np.int64)
    place[present] = np.arange(len(present))
    return place[numbers], present


def _summed(data: ModelData, table: str, node: tree.Aggregate, numbers: Array, size: int, rows: int) -> _PartialSums | None:
    """An aggregate of a part by stratum; None where it cannot be summed up."""
    assert node.argument is not None
    frame, here = data.frame(table), len(numbers)
    vector = frame.lift(evaluate(node.argument, frame), Domain(table))
    values, known = np.broadcast_to(vector.values, here + 1)[:-1], np.broadcast_to(vector.known, here + 1)[:-1]
    complete = bool(known.all())
    counts = np.bincount(numbers if complete else numbers[known], minlength=size)
    if node.function == "COUNT":
        return _PartialSums(counts, {}, None)
    if node.function in ("MIN", "MAX"):
        return _PartialSums(counts, {}, aggregate(node.function, False, values, known, numbers, size).values)
    if values.dtype == np.int64:
        some = values[known]
        largest = max(abs(int(some.max(initial=0))), abs(int(some.min(initial=0))))
        return _PartialSums(counts, {}, aggregate("SUM", False, values, known, numbers, size).values, largest) if largest * rows < _EXACT else None
    return _PartialSums(counts, sums_on_grids(values, numbers, size, None if complete else known, rows), None)


class _Gathering:
    """The strata of all parts so far."""

    def __init__(self, types: list[ValueType], truths: int, aggregates: Sequence[tree.Aggregate], rows: int) -> None:
        self._types, self._aggregates, self._rows = types, aggregates, rows
        self._values: list[dict[object, int]] = [{} for _ in range(len(types) + truths)]
        self._places: dict[bytes, int] = {}
        self._codes: list[Array] = []
        self._counts = np.zeros(0, dtype=np.int64)
        self._sums: list[_Summed | None] = [_Summed(node) for node in aggregates]

    @property
    def size(self) -> int:
        """How many strata there are."""
        return len(self._places)

    def add(self, part: _Part) -> None:
        """Adds the strata of a part."""
        places = self._placed(part)
        self._counts = _with_room(self._counts, self.size)
        self._counts[places] += part.counts
        for number, sums in enumerate(part.sums):
            own = self._sums[number]
            if own is not None:
                self._sums[number] = own.plus(places, sums, self.size, self._rows)

    def _placed(self, part: _Part) -> Array:
        """Where each stratum of a part stands among all; those that are new come last."""
        if not part.keys:
            if len(part.counts):
                self._places.setdefault(b"", 0)
            return np.zeros(len(part.counts), dtype=np.int64)
        columns = []
        for (codes, values), known in zip(part.keys, self._values, strict=True):
            own = np.array([*(known.setdefault(value, len(known)) for value in values.tolist()), -1], dtype=np.int32)
            columns.append(own[codes])
        together = np.ascontiguousarray(np.stack(columns, axis=1))
        before, places = self.size, self._places
        found = np.array([places.setdefault(key, len(places)) for key in together.view(f"V{together.shape[1] * 4}").ravel().tolist()], dtype=np.int64)
        new = found >= before
        if new.any():
            self._codes.append(together[new][np.argsort(found[new])])
        return found

    def strata(self, columns: Sequence[str], truths: Sequence[tree.Node]) -> StrataRows:
        """What was gathered."""
        codes = np.concatenate(self._codes) if self._codes else np.zeros((self.size, len(self._values)), dtype=np.int32)
        made = [_column(codes[:, place], list(self._values[place]), type_) for place, type_ in enumerate(self._types)]
        told = {}
        for place, node in enumerate(truths, len(self._types)):
            told[node] = np.array([*self._values[place], 0], dtype=np.int8)[codes[:, place]]
        partials = {node: None if sums is None else sums.partial(self.size) for node, sums in zip(self._aggregates, self._sums, strict=True)}
        return StrataRows(dict(zip(columns, made, strict=True)), self._counts[: self.size], partials, told)


def _column(codes: Array, values: list[object], type_: ValueType) -> StoredColumn:
    dictionary = np.empty(len(values), dtype=DTYPES[type_])
    dictionary[:] = values
    if type_ not in ("number", "boolean"):
        return coded(dictionary, codes, type_)
    with_null = np.append(dictionary, np.zeros(1, dtype=dictionary.dtype))
    return encode(pa.array(with_null[codes], type=ARROW_TYPES[type_], mask=codes < 0), type_)


def _with_room(array: Array, size: int, nothing: object = 0) -> Array:
    """An array of at least so many entries."""
    if len(array) >= size:
        return array
    more = np.full(max(size, 2 * len(array)) - len(array), nothing, dtype=array.dtype)
    return np.concatenate([array, more])


class _Summed:
    """An aggregate by stratum, over the parts so far."""

    def __init__(self, node: tree.Aggregate) -> None:
        assert node.argument is not None
        self._function, self._kind = node.function, str(node.argument.type)
        self._counts = np.zeros(0, dtype=np.int64)
        self._grids: dict[Grid, Array] = {}
        self._values = np.zeros(0, dtype=DTYPES[self._kind])
        self._largest = 0

    def plus(self, places: Array, part: _PartialSums | None, size: int, rows: int) -> "_Summed | None":
        """With one part more; None where it cannot be summed up without loss."""
        if part is None:
            return None
        self._counts = _with_room(self._counts, size)
        had = self._counts[places]
        self._counts[places] += part.counts
        for grid, sums in part.grids.items():
            self._grids[grid] = _with_room(self._grids.get(grid, np.zeros(0)), size)
            self._grids[grid][places] += sums
        if part.values is None:
            return self
        self._values = _with_room(self._values, size, "" if self._kind == "text" else 0)
        if self._function in ("MIN", "MAX"):
            own = self._values[places]
            better = part.values < own if self._function == "MIN" else part.values > own
            taken = (part.counts > 0) & ((had == 0) | better.astype(np.bool_))
            self._values[places[taken]] = part.values[taken]
            return self
        self._largest = max(self._largest, part.largest)
        self._values[places] += part.values
        return self if self._largest * rows < _EXACT else None

    def partial(self, size: int) -> Partial:
        """What it comes to in each stratum."""
        counts = _with_room(self._counts, size)[:size]
        if self._function == "COUNT":
            return Partial(counts, counts)
        if self._function in ("MIN", "MAX") or self._kind == "integer":
            return Partial(counts, _with_room(self._values, size, "" if self._kind == "text" else 0)[:size])
        return Partial(counts, Sums.on_grids(size, {grid: _with_room(sums, size)[:size] for grid, sums in self._grids.items()}))


class _Matching:
    """Which of some combinations of values the rows of a part have."""

    def __init__(self, kept: KeptRows) -> None:
        self._kept = kept
        self._entries: dict[tuple[object, ...], int] = {}
        if kept.columns is not None:
            told = [plain_column(stored) for stored in kept.columns.values()] + [truth.tolist() for truth in kept.truths.values()]
            self._entries = {entry: place for place, entry in enumerate(zip(*told, strict=True))} if told else {(): 0}

    def entries(self, data: ModelData, table: str) -> Array:
        """The combination each row has, by its place; -1 for a row that has none of them. All have the first where none are given."""
        rows = data.rows(table)
        if self._kept.columns is None:
            return np.zeros(rows, dtype=np.int64)
        stored = [data.stored(table, name) for name in self._kept.columns]
        truths = [_truth(data, table, node, rows) for node in self._kept.truths]
        keys = [*map(_coded, stored), *truths]
        numbers, present = _numbered(keys, rows)
        firsts = np.empty(len(present), dtype=np.int64)
        firsts[numbers] = np.arange(rows)
        index = np.append(firsts, -1)
        told = [plain_column(column.taken(index)) for column in stored] + [values[codes[firsts]].tolist() for codes, values in truths]
        mine: Mask | Array = np.array([self._entries.get(entry, -1) for entry in zip(*told, strict=True)] if told else [0] * len(present), dtype=np.int64)
        return mine[numbers]
