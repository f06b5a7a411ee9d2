"""Tables left where they are: what is asked of their engine, and the rows that stand for theirs (sources.md 18).

Nobody works on the rows of such a table. A question is worked out on *strata*: a row for each combination of the columns that are read on
the way, which stands for so many rows. Which columns those are is not reckoned beforehand but noticed: the question is first worked out
over no rows at all, then over the strata; a column that is read and is not there raises LeftInPlace, and is fetched. So nothing is answered
from less than it needs.
"""

import contextlib
import threading
from collections import OrderedDict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from typing import Any, Protocol, TypeVar

import numpy as np
import pyarrow as pa

from moorland.core.bundle.schema import Step
from moorland.core.bundle.shape import ValueType
from moorland.core.engine.columns import ARROW_TYPES, StoredColumn, TableData, encode
from moorland.core.engine.exact_sums import Sums
from moorland.core.engine.model_data import LeftInPlace, ModelData
from moorland.core.engine.questions import Refused
from moorland.core.engine.strata import Partial, Strata
from moorland.core.engine.visible import ViewerModel
from moorland.core.language import tree
from moorland.core.language.derived import Derived
from moorland.core.language.vectors import DTYPES, Array, Mask
from moorland.core.price import step

Result = TypeVar("Result")
#: So often is a question worked out anew with more columns; each turn adds one at least.
MOST_TURNS = 400


@dataclass(frozen=True)
class StrataRows:
    """The strata of a table by some columns: their values, a row a stratum, and how many rows each stands for.

    `partials` are what aggregates sum up to in each stratum; None where that cannot be had without loss.
    """

    columns: dict[str, StoredColumn]
    counts: Array
    partials: dict[tree.Aggregate, Partial | None]


@dataclass(frozen=True)
class KeptRows:
    """The rows of a page: those whose columns have one of some combinations of values (None: all rows), and how they are ordered.

    `columns` hold an entry a combination, `ranks` numbers to be ordered by in its place. `order` names a rank by its place, or a column, and whether
    it descends; nulls come last either way.
    """

    columns: dict[str, StoredColumn] | None
    ranks: list[Array] = field(default_factory=list)
    order: list[tuple[int | str, bool]] = field(default_factory=list)


class InPlace(Protocol):
    """The content of a table that stays in its engine."""

    def rows(self) -> int:
        """How many rows there are. Raises SourceFailed."""
        ...

    def strata(self, columns: Sequence[str], aggregates: Sequence[tree.Aggregate], data: ModelData) -> StrataRows:
        """The strata by some columns. Raises Refused where there are too many, SourceFailed where the engine does not answer."""
        ...

    def page(self, columns: Sequence[str], kept: KeptRows, offset: int, limit: int) -> dict[str, StoredColumn]:
        """Some rows in an order. Raises SourceFailed where the engine does not answer."""
        ...


class SourceFailed(Exception):
    """An engine that does not answer, or answers with something else than was declared; said to who keeps sources, never to viewers (17.4)."""

    def __init__(self, source: str, message: str) -> None:
        super().__init__(message)
        self.source, self.message = source, message


def not_available(failed: SourceFailed | LeftInPlace) -> Refused:
    """What anybody is told where a source does not answer; what it failed with is for who keeps it (17.4)."""
    return Refused("not_available", "This is not available now.")


class Needs:
    """What was read of the tables left in place: columns of each, and aggregates of its rows."""

    def __init__(self) -> None:
        self.columns: dict[str, set[str]] = {}
        self.aggregates: dict[str, set[tree.Aggregate]] = {}
        #: Tables of which one row is looked at, with all that is of it: its key and the value.
        self.only: dict[str, tuple[str, Any]] = {}

    def column(self, table: str, column: str) -> bool:
        """Notes a column; whether it is new."""
        known = self.columns.setdefault(table, set())
        new = column not in known
        known.add(column)
        return new

    def aggregate(self, table: str, node: tree.Aggregate) -> bool:
        """Notes an aggregate; whether it is new."""
        known = self.aggregates.setdefault(table, set())
        new = node not in known
        known.add(node)
        return new


class StandingData(ModelData):
    """A model in which every table left in place has rows that stand for its own; all other tables are as they were."""

    def __init__(
        self, base: ModelData, tables: dict[str, TableData], weights: dict[str, Array], partials: dict[str, dict[tree.Aggregate, Partial | None]] | None = None
    ) -> None:
        super().__init__(base.schema, {**{base.schema.original(name): data for name, data in base.tables.items()}, **tables}, base.as_of, base.derived)
        self._base_data, self._weights = base, weights
        self._replaced = {name for name in base.schema.tables if base.schema.original(name) in tables}
        self._own = self._replaced | {name for name in base.schema.tables if self._replaced.intersection(base.schema.paths[name])}
        self.left = frozenset()
        self.needs: Needs | None = None
        self.partials = partials or {}
        self.standing: dict[str, Standing] = {}

    def with_made(self, made: Derived) -> ModelData:
        other = super().with_made(made)
        if isinstance(other, StandingData) and other is not self:
            other.standing = {}
        return other

    @property
    def whole_base(self) -> ModelData:
        """The data whose tables are left in place."""
        return self._base_data

    def weights(self, table: str) -> Array | None:
        return self._weights.get(self.schema.original(table))

    def stored(self, table: str, column: str) -> StoredColumn:
        if table not in self._own and (found := self._taken_over(lambda: self._base_data.stored(table, column))) is not None:
            return found
        original = self.schema.original(table)
        if original in self._weights and (original, column) not in self.derived and column not in self.tables[table].columns:
            if self.needs is None:
                raise LeftInPlace(self.schema.model.name, original, column)
            self.needs.column(original, column)
            self.tables[table].columns[column] = _nothing(self._type(original, column))
        return super().stored(table, column)

    def _type(self, table: str, column: str) -> ValueType:
        return self.schema.columns[table, column].type

    def join(self, step: Step) -> Array:
        found = self._taken_over(lambda: self._base_data.join(step)) if step.many not in self._own and step.one not in self._own else None
        return super().join(step) if found is None else found

    def path(self, table: str, lookup: str) -> Array:
        found = self._taken_over(lambda: self._base_data.path(table, lookup)) if table not in self._own else None
        return super().path(table, lookup) if found is None else found

    def _make_base(self, table: str) -> Mask | None:
        if table in self._own:
            return super()._make_base(table)
        try:
            return self._base_data.base(table)
        except LeftInPlace:
            return super()._make_base(table)

    @staticmethod
    def _taken_over(ask: Callable[[], Result]) -> Result | None:
        """What the data here gives; None where it reads of a table left in place after all, by an inner query."""
        try:
            return ask()
        except LeftInPlace:
            return None

    def strata_of(self, table: str) -> "Standing | None":
        original = self.schema.original(table)
        if original not in self._weights:
            return None
        if table not in self.standing:
            self.standing[table] = Standing(self, table)
        return self.standing[table]


class Standing(Strata):
    """The rows that stand for those of a table left in place, as strata: its engine sums up what it can."""

    data: StandingData

    def __init__(self, data: StandingData, table: str) -> None:
        self.data, self.table = data, table
        weights = data.weights(table)
        assert weights is not None
        self.counts = weights
        self.known = data.partials.get(data.schema.original(table), {})

    @property
    def bytes(self) -> int:
        """Memory of what is summed up."""
        return self.counts.nbytes + sum(part.counts.nbytes + part.values.nbytes for part in self.known.values() if part is not None)

    def partial(self, node: tree.Aggregate) -> Partial | None:
        """The argument of an aggregate by stratum; None where it has to be reckoned from the values of the strata."""
        if node.argument is None and not node.distinct:
            return Partial(self.counts, self.counts)
        if not _is_summed_up(self.data, self.table, node):
            return None
        if node in self.known:
            return self.known[node]
        if self.data.needs is None:
            raise LeftInPlace(self.data.schema.model.name, self.data.schema.original(self.table), None, node)
        self.data.needs.aggregate(self.data.schema.original(self.table), node)
        assert node.argument is not None
        nothing = np.zeros(0, np.int64)
        kind = "integer" if node.function == "COUNT" else str(node.argument.type)
        values = np.zeros(0, DTYPES[kind])
        return Partial(nothing, Sums.of(values, nothing, 0) if node.function in ("SUM", "AVG") and kind == "number" else values)


def _is_summed_up(data: ModelData, table: str, node: tree.Aggregate) -> bool:
    """Whether an engine may sum an aggregate up: its argument reads nothing but stored columns of the table."""
    if node.distinct or node.argument is None or data.schema.original(table) != table:
        return False
    return all(owner == table and (owner, column) not in data.derived for owner, column in tree.columns_read(node.argument))


def standing(model: ViewerModel, compute: Callable[[ViewerModel], Result], first: Callable[[ViewerModel], Any] | None = None) -> Result:
    """What a computation over a viewer's model gives, on strata of the tables left in place. Raises Refused, SourceFailed.

    `first` is what tells which columns are read, where less than all of it does.
    """
    if not model.data.left:
        return compute(model)
    needs = noticed(model.data, lambda data: (first or compute)(model.on(data)))
    return worked_out(model.data, needs, lambda data: compute(model.on(data)))


def on_strata(base: ModelData, compute: Callable[[ModelData], Result]) -> Result:
    """What a computation over a model's data gives, on strata of the tables left in place."""
    return worked_out(base, noticed(base, compute), compute) if base.left else compute(base)


def noticed(base: ModelData, compute: Callable[[ModelData], Any], needs: Needs | None = None) -> Needs:
    """Which columns and aggregates of the tables left in place a computation reads: it is worked out over no rows of them."""
    found = needs or Needs()
    originals = {base.schema.original(name) for name in base.left}
    none = {table: TableData(f"none of {base.tables[table].version}", 0, {}) for table in originals}
    empty = StandingData(base, none, {table: np.zeros(0, np.int64) for table in originals})
    empty.needs = found
    # What it says of no rows is nobody's answer.
    with contextlib.suppress(Refused):
        compute(empty)
    return found


def worked_out(base: ModelData, needs: Needs, compute: Callable[[ModelData], Result]) -> Result:
    """A computation on the strata by all that is needed; what turns out to be missing is fetched, and it is worked out anew."""
    for _ in range(MOST_TURNS):
        step()
        try:
            return compute(strata_data(base, needs))
        except LeftInPlace as missing:
            new = needs.aggregate(missing.table, missing.aggregate) if missing.aggregate is not None else needs.column(missing.table, missing.column or "")
            if not new or (missing.column is None and missing.aggregate is None):
                raise
    raise LeftInPlace(base.schema.model.name, min(base.left))


def strata_data(base: ModelData, needs: Needs) -> StandingData:
    """The model on the strata by what is needed, kept with the data; the same columns are fetched once."""
    tables: dict[str, TableData] = {}
    weights: dict[str, Array] = {}
    partials: dict[str, dict[tree.Aggregate, Partial | None]] = {}
    wanted: dict[str, StrataRows] = {}
    for table in sorted({base.schema.original(name) for name in base.left}):
        wanted[table] = _fetched(base, table, needs)
        rows = wanted[table]
        tables[table] = TableData(f"strata of {base.tables[table].version} by {sorted(rows.columns)}", len(rows.counts), dict(rows.columns))
        weights[table], partials[table] = rows.counts, rows.partials
    key = ("standing", tuple(id(rows) for rows in wanted.values()))
    found = base.notes.get(key)
    if found is None:
        found = StandingData(base, tables, weights, partials)
        base.notes[key] = (found, wanted)
        return found
    kept: StandingData = found[0]
    return kept


def _fetched(base: ModelData, table: str, needs: Needs) -> StrataRows:
    """The strata of one table: those kept already, where they have all that is needed, or fetched."""
    if table in needs.only:
        return _one_row(base, table, *needs.only[table])
    columns, aggregates = frozenset(needs.columns.get(table, ())), frozenset(needs.aggregates.get(table, ()))
    kept = _kept_of(base.tables[table].version)
    fitting = [rows for (names, nodes), rows in list(kept.items()) if names >= columns and nodes >= aggregates]
    if fitting:
        return min(fitting, key=lambda rows: len(rows.counts))
    # What was summed up by the same columns before is asked again beside what is new: one statement, rows in one order.
    beside = frozenset().union(*(nodes for names, nodes in kept if names == columns))
    source = base.tables[table].in_place
    assert source is not None
    rows: StrataRows = source.strata(sorted(columns), sorted(aggregates | beside, key=repr), base)
    for key in [(names, nodes) for names, nodes in kept if names == columns]:
        kept.pop(key, None)
    kept[columns, aggregates | beside] = rows
    return rows


#: What was fetched, by the content it is of; the contents used last are kept.
_kept: OrderedDict[str, dict[tuple[frozenset[str], frozenset[tree.Aggregate]], StrataRows]] = OrderedDict()
_lock = threading.Lock()
#: Strata of so many contents are kept, and of one content by so many sets of columns.
MOST_CONTENTS, MOST_SETS = 64, 40


def _kept_of(version: str) -> dict[tuple[frozenset[str], frozenset[tree.Aggregate]], StrataRows]:
    with _lock:
        found = _kept.setdefault(version, {})
        _kept.move_to_end(version)
        while len(_kept) > MOST_CONTENTS:
            _kept.popitem(last=False)
        while len(found) > MOST_SETS:
            found.pop(next(iter(found)))
        return found


def _one_row(base: ModelData, table: str, key: str, value: Any) -> StrataRows:
    """A row by its key, with every column; no row where none has it."""
    source, shape = base.tables[table].in_place, base.schema.tables[table]
    assert source is not None
    names = [column.name for column in shape.columns if not column.derived]
    wanted = encode(pa.array([value], type=ARROW_TYPES[base.schema.columns[table, key].type]), base.schema.columns[table, key].type)
    page = source.page(names, KeptRows({key: wanted}), 0, 2)
    one = page.pop("")
    return StrataRows(page, np.ones(len(one.codes if one.codes is not None else one.values) - 1, np.int64), {})


def _nothing(type_: ValueType) -> StoredColumn:
    return encode(pa.array([], type=ARROW_TYPES[type_]), type_)


def picked(columns: dict[str, StoredColumn], rows: Array) -> dict[str, StoredColumn]:
    """Some rows of columns."""
    index = np.append(rows, -1)
    return {name: column.taken(index) for name, column in columns.items()}


def read_by(base: ModelData, table: str, keys: Iterable[tuple[str, str]]) -> set[str]:
    """The stored columns of a table among some columns and all that derived ones of it read."""
    found: set[str] = set()
    waiting, seen = list(keys), set[tuple[str, str]]()
    while waiting:
        owner, column = waiting.pop()
        if (owner, column) in seen:
            continue
        seen.add((owner, column))
        derived = base.derived.get((base.schema.original(owner), column))
        if derived is not None:
            waiting += derived.reads
        elif base.schema.original(owner) == table:
            found.add(column)
    return found
