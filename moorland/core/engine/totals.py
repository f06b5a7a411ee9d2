"""Totals: measures by columns over the rows a viewer sees (semantics.md 7.2, 7.3)."""

from dataclasses import dataclass
from functools import reduce
from typing import Any

import numpy as np

from moorland.core.bundle.people import AttributeDefinition
from moorland.core.engine.aggregates import aggregate
from moorland.core.engine.listing import json_values
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.naming import ColumnKey, check_filter, column_key, parse_filter
from moorland.core.engine.questions import Line, Refused, TotalsAnswer, TotalsQuestion, not_found
from moorland.core.engine.strata import Strata, strata_for
from moorland.core.engine.visible import ViewerModel
from moorland.core.language import tree
from moorland.core.language.evaluation import evaluate, true_rows
from moorland.core.language.measures import CheckedMeasure
from moorland.core.language.vectors import Array, Domain, Mask, Vector

#: Up to so many combinations of the columns asked by, groups are counted in one dense array.
DENSE_GROUPS = 1 << 20
_MOST_COMBINATIONS = 1 << 62


@dataclass(frozen=True)
class _Counted:
    """The rows of one table that count for a measure: their indices (None: all), and their group at full depth.

    With `strata` they are strata, each of which stands for as many rows as it has.
    """

    rows: Array | None
    groups: Array
    strata: Strata | None = None

    @property
    def basis(self) -> int:
        """How many rows count."""
        if self.strata is None:
            return len(self.groups)
        return int((self.strata.counts if self.rows is None else self.strata.counts[self.rows]).sum())


def answer_totals(
    model: ViewerModel, question: TotalsQuestion, measures: dict[str, CheckedMeasure], attributes: dict[str, AttributeDefinition]
) -> TotalsAnswer:
    """The answer to a totals question (7.2). Raises Refused."""
    existing, data = model.objects, model.data
    parse_filter(question.where)
    columns, offered = _within_cube(model, question)
    by = [column_key(name, None, columns) for name in question.by]
    condition = check_filter(question.where, data.schema, None, columns, attributes)
    read = tree.columns_read(condition) if condition else frozenset()
    asked = frozenset(by) | read
    found: dict[str, CheckedMeasure] = {}
    for name in question.measures:
        measure = measures.get(name)
        if measure is None or name not in existing.measures or name not in offered:
            continue
        if model.granting(measure.inputs | asked, measure.tables, name):
            found[name] = measure
    for measure in found.values():
        for table in _counted_tables(measure):
            missing = next((key for key in sorted(asked) if not data.schema.reaches(table, key[0])), None)
            if missing:
                raise Refused("invalid", f"{missing[0]}.{missing[1]} cannot be reached from {table}, which {measure.name} counts.")
    radix = _Radix(data, by)
    counted = {name: _counted_rows(model, measure, asked, condition, radix) for name, measure in found.items()}
    lines: list[Line] = []
    depths = [len(by), *(range(len(by) - 1, 0, -1) if question.subtotals else ())]
    for depth in depths:
        level = _level(data, question.measures, found, counted, radix, depth)
        lines += [Line(key=key, values=values, depth=depth if depth < len(by) else None) for key, values in level]
    total = _level(data, question.measures, found, counted, radix, 0, always=True)[0][1]
    if not by:
        lines = [Line(key=[], values=total)] if any(len(rows[found[name].table].groups) for name, rows in counted.items()) else []
    return TotalsAnswer(
        by=question.by,
        measures=question.measures,
        lines=lines,
        total=total,
        basis=[counted[name][found[name].table].basis if name in found else None for name in question.measures],
        not_found=list(dict.fromkeys(name for name in question.measures if name not in found)),
        withheld=[],
    )


def _within_cube(model: ViewerModel, question: TotalsQuestion) -> tuple[frozenset[ColumnKey], frozenset[str]]:
    """The columns and measures a question may name: those that exist, and in a cube only the cube's (12.9)."""
    existing, schema = model.objects, model.data.schema
    if question.cube is None:
        return existing.columns, existing.measures
    cube = next((cube for cube in schema.model.cubes if cube.name == question.cube), None)
    if cube is None or cube.name not in existing.cubes:
        raise not_found(question.cube)
    named = {name for dimension in cube.dimensions for name in dimension.hierarchies}
    levels = {(item.table, column) for item in schema.model.hierarchies if item.name in named and item.name in existing.hierarchies for column in item.columns}
    return frozenset(key for key in existing.columns if key in levels or key[0] in cube.facts), existing.measures & frozenset(cube.measures)


def _counted_tables(measure: CheckedMeasure) -> set[str]:
    return {measure.table, *(node.table for node in measure.tree.walk() if isinstance(node, tree.Aggregate))}


class _Radix:
    """Combinations of the columns asked by as one number; equal numbers are equal keys in every table, and sort as keys do, nulls last."""

    def __init__(self, data: ModelData, by: list[ColumnKey]) -> None:
        self.data, self.by = data, by
        self.sizes = [len(group_labels(data, key)[0]) + 1 for key in by]
        if reduce(lambda product, size: product * size, self.sizes, 1) > _MOST_COMBINATIONS:
            raise Refused("invalid", "There are too many combinations of these columns; ask by fewer.")

    def size(self, depth: int) -> int:
        """How many combinations the first `depth` columns can have."""
        return reduce(lambda product, size: product * size, self.sizes[:depth], 1)

    def divisor(self, depth: int) -> int:
        """What a number at full depth is divided by to give that of its prefix."""
        return self.size(len(self.by)) // self.size(depth)

    def of(self, table: str, data: ModelData) -> Array:
        """The number of each row of a table, or of each stratum; shape (rows,), int32 where it fits. Cached."""

        def make() -> Array:
            dtype = np.int32 if self.size(len(self.by)) < 2**31 else np.int64
            result: Array = np.zeros(data.rows(table), dtype=dtype)
            for position, (key, size) in enumerate(zip(self.by, self.sizes, strict=True)):
                codes: Array = group_codes(data, table, key).astype(dtype)
                codes[codes < 0] = size - 1
                if position:
                    result *= dtype(size)
                    result += codes
                else:
                    result = codes
            return result

        return data.cache.get(("groups", table, tuple(self.by)), make)

    def keys(self, numbers: Array, depth: int) -> list[list[Any]]:
        """The key of each number of a prefix, as JSON values."""
        columns = []
        rest = numbers.astype(np.int64)
        for key, size in reversed(list(zip(self.by[:depth], self.sizes[:depth], strict=True))):
            codes = rest % size
            rest = rest // size
            labels = group_labels(self.data, key)[0]
            known = codes < size - 1
            padded = np.append(labels, labels[:1]) if len(labels) else np.zeros(1, labels.dtype)
            columns.append(json_values(padded[np.where(known, codes, 0)], known))
        return [list(key) for key in zip(*reversed(columns), strict=True)] if columns else [[] for _ in numbers]


def group_labels(data: ModelData, key: ColumnKey) -> tuple[Array, Array | None]:
    """The sorted distinct values of a column, and for a plain one the code of each of its rows."""
    stored = data.stored(*key)
    if stored.codes is not None:
        return stored.values[:-1], None
    values = data.cache.get(("labels", key), lambda: np.unique(stored.values[stored.known]))
    codes = data.cache.get(("codes", key), lambda: np.where(stored.known, np.searchsorted(values, stored.values), -1))
    return values, codes


def group_codes(data: ModelData, table: str, key: ColumnKey) -> Array:
    """The code of a column, or of a lookup's column, in each row of a table; -1 for null. Shape (rows,)."""
    _, codes = group_labels(data, key)
    if codes is None:
        codes = data.stored(*key).codes
    assert codes is not None
    return codes[:-1] if key[0] == table else codes[data.path(table, key[0])[:-1]]


def _counted_rows(model: ViewerModel, measure: CheckedMeasure, asked: frozenset[ColumnKey], condition: tree.Node | None, radix: _Radix) -> dict[str, _Counted]:
    """For each table whose rows the measure counts, the rows visible for S and matched by the filter (7.2)."""
    result = {}
    for table in _counted_tables(measure):
        aggregates = [node for node in measure.tree.walk() if isinstance(node, tree.Aggregate) and node.table == table]
        strata = strata_for(model, table, asked, aggregates)
        seen = model if strata is None else model.on(strata.data)
        mask: Mask | None = seen.rows_for(table, measure.inputs | asked, measure.tables, measure.name)
        if condition is not None:
            passing = true_rows(condition, seen.data.frame(table, model.viewer.values), table, seen.data.rows(table))
            mask = passing if mask is None else mask & passing
        rows = None if mask is None else np.flatnonzero(mask)
        groups = radix.of(table, seen.data)
        result[table] = _Counted(rows, groups if rows is None else groups[rows], strata)
    return result


def _level(
    data: ModelData,
    names: list[str],
    found: dict[str, CheckedMeasure],
    counted: dict[str, dict[str, _Counted]],
    radix: _Radix,
    depth: int,
    always: bool = False,
) -> list[tuple[list[Any], list[Any]]]:
    """The lines of one depth: key and values. `always` gives the grand total its line even where no row counts."""
    divisor, size = radix.divisor(depth), radix.size(depth)
    prefixes: dict[int, Array] = {}

    def groups_of(rows: _Counted) -> Array:
        if id(rows) not in prefixes:
            prefixes[id(rows)] = rows.groups if divisor == 1 else rows.groups // rows.groups.dtype.type(divisor)
        return prefixes[id(rows)]

    own = {name: groups_of(rows[found[name].table]) for name, rows in counted.items()}
    if size <= DENSE_GROUPS:
        present = np.zeros(size, np.bool_)
        for groups in own.values():
            present[groups] = True
        numbers = np.flatnonzero(present | always)
    else:
        numbers = np.unique(np.concatenate([np.unique(groups) for groups in own.values()] or [np.zeros(0, np.int64)]))
    values = []
    for name in names:
        if name not in found:
            values.append([None] * len(numbers))
            continue
        frame = _LineFrame(data, counted[name], groups_of, numbers, size)
        vector = evaluate(found[name].tree, frame)
        shape = (len(numbers),)
        values.append(json_values(np.broadcast_to(vector.values, shape), np.broadcast_to(vector.known, shape)))
    lines = [list(line) for line in zip(*values, strict=True)] if values else [[] for _ in numbers]
    return list(zip(radix.keys(numbers, depth), lines, strict=True))


class _LineFrame:
    """Evaluates what stands around the aggregates of a measure, one entry a line."""

    def __init__(self, data: ModelData, counted: dict[str, _Counted], groups_of: Any, numbers: Array, size: int) -> None:
        self.data, self.counted, self.groups_of, self.numbers, self.size = data, counted, groups_of, numbers, size
        self._domain = Domain("")

    @property
    def as_of(self) -> Any:
        return self.data.as_of

    def aggregate(self, node: tree.Aggregate) -> Vector:
        rows = self.counted[node.table]
        groups: Array = self.groups_of(rows)
        dense = self.size <= DENSE_GROUPS
        inside: Mask | None = None
        if not dense:
            position = np.minimum(np.searchsorted(self.numbers, groups), max(len(self.numbers) - 1, 0))
            inside = self.numbers[position] == groups if len(self.numbers) else np.zeros(len(groups), np.bool_)
            groups = position
        size = self.size if dense else len(self.numbers)
        if rows.strata is not None:
            return self._of_strata(node, rows, rows.strata, groups, inside, size)
        if node.argument is None:
            known = np.ones(len(groups), np.bool_) if inside is None else inside
            result = aggregate("COUNT", False, known, known, groups, size)
        else:
            values, known = self._argument(node, rows)
            result = aggregate(node.function, node.distinct, values, known if inside is None else known & inside, groups, size)
        if dense:
            return Vector(result.values[self.numbers], result.known[self.numbers], self._domain)
        return Vector(result.values, result.known, self._domain)

    def _of_strata(self, node: tree.Aggregate, rows: _Counted, strata: Strata, groups: Array, inside: Mask | None, size: int) -> Vector:
        """The aggregate from what is summed up by stratum."""
        partial = strata.partial(node)
        assert partial is not None
        counts, values = (partial.counts, partial.values) if rows.rows is None else (partial.counts[rows.rows], partial.values[rows.rows])
        known = counts > 0 if inside is None else (counts > 0) & inside
        number = aggregate("SUM", False, counts.astype(np.int64), known, groups, size)
        if node.function == "COUNT":
            result = Vector(np.where(number.known, number.values, 0), np.ones(size, np.bool_))
        elif node.function == "AVG":
            sums = aggregate("SUM", False, values.astype(np.float64), known, groups, size)
            result = Vector(sums.values / np.maximum(number.values, 1), sums.known)
        else:
            result = aggregate(node.function, False, values, known, groups, size)
        if self.size <= DENSE_GROUPS:
            return Vector(result.values[self.numbers], result.known[self.numbers], self._domain)
        return Vector(result.values, result.known, self._domain)

    def _argument(self, node: tree.Aggregate, rows: _Counted) -> tuple[Array, Mask]:
        """The argument's value in each counted row."""
        assert node.argument is not None
        frame = self.data.frame(node.table)
        argument = node.argument
        if node.function == "COUNT" and isinstance(argument, tree.ColumnRef):
            codes = group_codes(self.data, node.table, (argument.table, argument.column)) if node.distinct else None
            if codes is not None:
                picked = codes if rows.rows is None else codes[rows.rows]
                return picked, picked >= 0
        vector = evaluate(argument, frame)
        count = self.data.rows(node.table)
        lifted = frame.lift(vector, Domain(node.table))
        if lifted.domain is None:
            return np.broadcast_to(lifted.values, len(rows.groups)), np.broadcast_to(lifted.known, len(rows.groups))
        known = np.broadcast_to(lifted.known, count + 1)
        return (lifted.values[:-1], known[:-1]) if rows.rows is None else (lifted.values[rows.rows], known[rows.rows])

    def column(self, table: str, column: str) -> Vector:
        raise LookupError(f"{table}.{column} stands outside an aggregate")

    def meet(self, first: Domain, second: Domain) -> Domain:
        return self._domain

    def lift(self, vector: Vector, domain: Domain) -> Vector:
        return vector

    def viewer_values(self, name: str) -> tuple[Any, ...] | None:
        return None

    def page_values(self, name: str) -> tuple[Any, ...] | None:
        return None
