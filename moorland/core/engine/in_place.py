"""Tables left where they are: what is asked of their engine, and the rows that stand for theirs (sources.md 18).

Nobody works on the rows of such a table. A question is worked out on *strata*: a row for each combination of the columns that are read on
the way, which stands for so many rows. Which columns those are is not reckoned beforehand but noticed: the question is first worked out
over no rows at all, then over the strata; a column that is read and is not there raises LeftInPlace, and is fetched. So nothing is answered
from less than it needs.
"""

import contextlib
import threading
from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal, Protocol, TypeVar

import numpy as np
import pyarrow as pa

from moorland.core.bundle.schema import Step
from moorland.core.bundle.shape import ValueType
from moorland.core.engine.columns import ARROW_TYPES, StoredColumn, TableData, encode
from moorland.core.engine.exact_sums import Sums
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.questions import Refused
from moorland.core.engine.strata import Partial, Strata
from moorland.core.engine.unanswered import LeftInPlace, SourceFailed
from moorland.core.engine.visible import ViewerModel
from moorland.core.language import tree
from moorland.core.language.derived import Derived
from moorland.core.language.vectors import DTYPES, Array, Domain, Mask, Vector
from moorland.core.price import step

Result = TypeVar("Result")
#: Which conditions are known by their truth: those over numbers and timestamps, all that can be, or none.
ByTruth = Literal["numbers", "all", "none"]
AT_FIRST: ByTruth = "numbers"
#: So often is a question worked out anew with more columns; each turn adds one at least.
MOST_TURNS = 400


@dataclass(frozen=True)
class StrataRows:
    """The strata of a table by some columns, and by what some conditions come to: their values, a row a stratum, and how many rows each stands for.

    `truths` are 1 where a condition is true, 0 where it is false, -1 where it is unknown. `partials` are what aggregates sum up to in each stratum; None where that cannot be had without loss.
    """

    columns: dict[str, StoredColumn]
    counts: Array
    partials: dict[tree.Aggregate, Partial | None]
    truths: dict[tree.Node, Array] = field(default_factory=dict)


@dataclass(frozen=True)
class KeptRows:
    """The rows of a page: those whose columns have one of some combinations of values (None: all rows), and how they are ordered.

    `columns` hold an entry a combination, `ranks` numbers to be ordered by in its place. `order` names a rank by its place, or a column, and whether
    it descends; nulls come last either way.
    """

    columns: dict[str, StoredColumn] | None
    ranks: list[Array] = field(default_factory=list)
    truths: dict[tree.Node, Array] = field(default_factory=dict)
    order: list[tuple[int | str, bool]] = field(default_factory=list)


class InPlace(Protocol):
    """The content of a table that stays in its engine."""

    def rows(self) -> int:
        """How many rows there are. Raises SourceFailed."""
        ...

    def writes(self, condition: tree.Node, data: ModelData) -> bool:
        """Whether the engine has words for a condition over its columns."""
        ...

    def strata(self, columns: Sequence[str], truths: Sequence[tree.Node], aggregates: Sequence[tree.Aggregate], data: ModelData) -> StrataRows:
        """The strata by some columns and conditions. Raises TooManyStrata, and SourceFailed where the engine does not answer."""
        ...

    def page(self, columns: Sequence[str], kept: KeptRows, offset: int, limit: int, data: ModelData) -> dict[str, StoredColumn]:
        """Some rows in an order. Raises SourceFailed where the engine does not answer."""
        ...


class TooManyStrata(Refused):
    """There are more combinations of the columns read than are looked at."""

    def __init__(self, message: str) -> None:
        super().__init__("too_costly", message)


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
        self.truths: dict[str, set[tree.Node]] = {}
        self.by_truth: ByTruth = AT_FIRST

    def column(self, table: str, column: str) -> bool:
        """Notes a column; whether it is new."""
        known = self.columns.setdefault(table, set())
        new = column not in known
        known.add(column)
        return new

    def truth(self, table: str, node: tree.Node) -> bool:
        """Notes a condition whose truth is needed; whether it is new."""
        known = self.truths.setdefault(table, set())
        new = node not in known
        known.add(node)
        return new

    def all_by_truth(self) -> bool:
        """Begins anew with every condition known by its truth; whether that is another way than before."""
        if self.by_truth != "numbers":
            return False
        self.columns, self.aggregates, self.truths, self.by_truth = {}, {}, {}, "all"
        return True

    def missing(self, missing: LeftInPlace) -> bool:
        """Notes what was missing; whether there is anything new to fetch."""
        if missing.truth is not None:
            return self.truth(missing.table, missing.truth)
        if missing.aggregate is not None:
            return self.aggregate(missing.table, missing.aggregate)
        return missing.column is not None and self.column(missing.table, missing.column)

    def aggregate(self, table: str, node: tree.Aggregate) -> bool:
        """Notes an aggregate; whether it is new."""
        known = self.aggregates.setdefault(table, set())
        new = node not in known
        known.add(node)
        return new


class StandingData(ModelData):
    """A model in which every table left in place has rows that stand for its own; all other tables are as they were."""

    def __init__(
        self,
        base: ModelData,
        tables: dict[str, TableData],
        weights: dict[str, Array],
        partials: dict[str, dict[tree.Aggregate, Partial | None]] | None = None,
        truths: dict[str, dict[tree.Node, Array]] | None = None,
        by_truth: ByTruth = "none",
    ) -> None:
        super().__init__(base.schema, {**{base.schema.original(name): data for name, data in base.tables.items()}, **tables}, base.as_of, base.derived)
        self._base_data, self._weights = base, weights
        self._replaced = {name for name in base.schema.tables if base.schema.original(name) in tables}
        self._own = self._replaced | {name for name in base.schema.tables if self._replaced.intersection(base.schema.paths[name])}
        self.left = frozenset()
        self.needs: Needs | None = None
        self.partials, self.truths, self._by_truth = partials or {}, truths or {}, by_truth
        self.standing: dict[str, Standing] = {}

    def with_made(self, made: Derived) -> ModelData:
        other = super().with_made(made)
        if isinstance(other, StandingData) and other is not self:
            other.standing = {}
        return other

    def truth_of(self, table: str, node: tree.Node) -> Vector | None:
        """What the engine says of a condition, where its columns were not read and need not be (sources.md 18.2)."""
        if table not in self._weights or not self._is_known_by_truth(table, node):
            return None
        domain = Domain(table)
        if self.needs is not None:
            self.needs.truth(table, node)
            return Vector(np.zeros(1, np.bool_), np.zeros(1, np.bool_), domain)
        found = self.truths.get(table, {}).get(node)
        if found is None:
            raise LeftInPlace(self.schema.model.name, table, truth=node)
        with_null = np.append(found, np.int8(-1))
        return Vector(with_null == 1, with_null >= 0, domain)

    def _is_known_by_truth(self, table: str, node: tree.Node) -> bool:
        by_truth = self.needs.by_truth if self.needs is not None else self._by_truth
        read = tree.columns_read(node)
        if by_truth == "none" or not read or any(owner != table or (owner, column) in self.derived for owner, column in read):
            return False
        if all(column in self.tables[table].columns for _, column in read):
            return False
        if by_truth == "numbers" and not any(self._type(table, column) in ("number", "timestamp") for _, column in read):
            return False
        if tree.viewer_values_read(node) or any(isinstance(part, tree.InnerQuery | tree.PageRef) for part in node.walk()):
            return False
        held = self._base_data.tables[table].in_place
        return held is not None and held.writes(node, self._base_data)

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
    """A computation on the strata by all that is needed; what turns out to be missing is fetched, and it is worked out anew.

    Where there are too many strata, conditions are known by their truth in place of the columns they read, as far as the engine has words for them.
    """
    for _ in range(MOST_TURNS):
        step()
        try:
            return compute(strata_data(base, needs))
        except LeftInPlace as missing:
            if not needs.missing(missing):
                raise
        except TooManyStrata:
            if not needs.all_by_truth():
                raise
            noticed(base, compute, needs)
    raise LeftInPlace(base.schema.model.name, min(base.left))


def strata_data(base: ModelData, needs: Needs) -> StandingData:
    """The model on the strata by what is needed, kept with the data; the same columns are fetched once."""
    tables: dict[str, TableData] = {}
    weights: dict[str, Array] = {}
    partials: dict[str, dict[tree.Aggregate, Partial | None]] = {}
    truths: dict[str, dict[tree.Node, Array]] = {}
    wanted: dict[str, StrataRows] = {}
    for table in sorted({base.schema.original(name) for name in base.left}):
        wanted[table] = _fetched(base, table, needs)
        rows = wanted[table]
        tables[table] = TableData(
            f"strata of {base.tables[table].version} by {sorted(rows.columns)} {sorted(map(repr, rows.truths))}", len(rows.counts), dict(rows.columns)
        )
        weights[table], partials[table], truths[table] = rows.counts, rows.partials, rows.truths
    made: OrderedDict[Any, tuple[StandingData, dict[str, StrataRows]]] = base.notes.setdefault("standing", OrderedDict())
    key = (needs.by_truth, tuple(id(rows) for rows in wanted.values()))
    with _lock:
        if key not in made:
            made[key] = (StandingData(base, tables, weights, partials, truths, needs.by_truth), wanted)
        made.move_to_end(key)
        while len(made) > MOST_SETS:
            made.popitem(last=False)
        return made[key][0]


def _fetched(base: ModelData, table: str, needs: Needs) -> StrataRows:
    """The strata of one table: those kept already, where they have all that is needed, or fetched."""
    if table in needs.only:
        return _one_row(base, table, *needs.only[table])
    columns, aggregates = frozenset(needs.columns.get(table, ())), frozenset(needs.aggregates.get(table, ()))
    # What is known of columns that are read anyway needs no word of the engine.
    truths = frozenset(node for node in needs.truths.get(table, ()) if not {column for _, column in tree.columns_read(node)} <= columns)
    kept = _kept_of(base.tables[table].version)
    fitting = [rows for (names, told, nodes), rows in list(kept.items()) if names >= columns and nodes >= aggregates and told >= truths]
    if fitting:
        return min(fitting, key=lambda rows: len(rows.counts))
    # What was summed up by the same columns before is asked again beside what is new: one statement, rows in one order.
    beside = frozenset[tree.Aggregate]().union(*(nodes for names, told, nodes in kept if (names, told) == (columns, truths)))
    source = base.tables[table].in_place
    assert source is not None
    rows: StrataRows = source.strata(sorted(columns), sorted(truths, key=repr), sorted(aggregates | beside, key=repr), base)
    for key in [key for key in kept if key[:2] == (columns, truths)]:
        kept.pop(key, None)
    kept[columns, truths, aggregates | beside] = rows
    return rows


#: By which columns and conditions, and with which sums, strata were fetched.
Fetched = tuple[frozenset[str], frozenset[tree.Node], frozenset[tree.Aggregate]]
#: What was fetched, by the content it is of; the contents used last are kept.
_kept: OrderedDict[str, dict[Fetched, StrataRows]] = OrderedDict()
_lock = threading.Lock()
#: Strata of so many contents are kept, and of one content by so many sets of columns.
MOST_CONTENTS, MOST_SETS = 64, 40
#: And with so many bytes altogether.
MOST_BYTES = 1024**3


def _kept_of(version: str) -> dict[Fetched, StrataRows]:
    with _lock:
        found = _kept.setdefault(version, {})
        _kept.move_to_end(version)
        while len(_kept) > 1 and (len(_kept) > MOST_CONTENTS or sum(map(_bytes, _kept.values())) > MOST_BYTES):
            _kept.popitem(last=False)
        while len(found) > MOST_SETS:
            found.pop(next(iter(found)))
        return found


def _bytes(kept: dict[Fetched, StrataRows]) -> int:
    return sum(rows.counts.nbytes + sum(column.bytes for column in rows.columns.values()) for rows in list(kept.values()))


def _one_row(base: ModelData, table: str, key: str, value: Any) -> StrataRows:
    """A row by its key, with every column; no row where none has it."""
    source, shape = base.tables[table].in_place, base.schema.tables[table]
    assert source is not None
    names = [column.name for column in shape.columns if not column.derived]
    wanted = encode(pa.array([value], type=ARROW_TYPES[base.schema.columns[table, key].type]), base.schema.columns[table, key].type)
    page = source.page(names, KeptRows({key: wanted}), 0, 2, base)
    one = page.pop("")
    return StrataRows(page, np.ones(len(one.codes if one.codes is not None else one.values) - 1, np.int64), {})


def _nothing(type_: ValueType) -> StoredColumn:
    return encode(pa.array([], type=ARROW_TYPES[type_]), type_)


def picked(columns: dict[str, StoredColumn], rows: Array) -> dict[str, StoredColumn]:
    """Some rows of columns."""
    index = np.append(rows, -1)
    return {name: column.taken(index) for name, column in columns.items()}
