"""Totals: measures by columns over the rows a viewer sees (semantics.md 7.2, 7.3)."""

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from moorland.core.bundle.people import AttributeDefinition
from moorland.core.engine.aggregates import AggregatesFrame, aggregate
from moorland.core.engine.counting import Asked, Counted, Radix, count, counted_tables
from moorland.core.engine.grouping import group_codes
from moorland.core.engine.listing import json_values
from moorland.core.engine.masking import ShownColumn, codes_of, masked_values
from moorland.core.engine.model_data import RowsFrame
from moorland.core.engine.naming import ColumnKey, check_filter, column_key, parse_filter
from moorland.core.engine.questions import Line, Refused, TotalsAnswer, TotalsQuestion, not_found
from moorland.core.engine.strata import Strata
from moorland.core.engine.visible import ViewerModel
from moorland.core.language import tree
from moorland.core.language.evaluation import evaluate
from moorland.core.language.measures import CheckedMeasure
from moorland.core.language.vectors import Array, Domain, Mask, Vector

#: Up to so many combinations of the columns asked by, groups are counted in one dense array.
DENSE_GROUPS = 1 << 20


def answer_totals(
    model: ViewerModel, question: TotalsQuestion, measures: dict[str, CheckedMeasure], attributes: dict[str, AttributeDefinition], secret: bytes
) -> TotalsAnswer:
    """The answer to a totals question (7.2). Raises Refused."""
    existing, data = model.objects, model.data
    parse_filter(question.where)
    columns, offered = within_cube(model, question)
    by = [column_key(name, None, columns) for name in question.by]
    asked = Asked(tuple(by), check_filter(question.where, data.schema, None, columns, attributes))
    found: dict[str, CheckedMeasure] = {}
    for name in question.measures:
        measure = measures.get(name)
        if measure is None or name not in existing.measures or name not in offered:
            continue
        if model.granting(measure.inputs | asked.keys, measure.tables, name):
            found[name] = measure
    for measure in found.values():
        for table in counted_tables(measure):
            missing = next((key for key in sorted(asked.keys) if not data.schema.reaches(table, key[0])), None)
            if missing:
                raise Refused("invalid", f"{missing[0]}.{missing[1]} cannot be reached from {table}, which {measure.name} counts.")
    counting = _Counting(model, asked, found, Radix(model, by, secret), secret)
    lines: list[Line] = []
    withheld: list[list[Any]] = []
    depths = [len(by), *(range(len(by) - 1, 0, -1) if question.subtotals else ()), *([0] if by else [])]
    levels = {depth: counting.level(depth, list(dict.fromkeys(question.measures))) for depth in depths}
    for depth in depths:
        level = levels[depth]
        withheld += [[level.keys[line], name] for name in level.values for line in np.flatnonzero(level.withheld[name]).tolist()]
        if depth or not by:
            wanted = range(len(level.keys)) if depth else range(int(counting.any_row))
            shown = [
                Line(key=level.keys[line], values=[level.value(name, line) for name in question.measures], depth=depth if depth < len(by) else None)
                for line in wanted
            ]
            lines += shown
    return TotalsAnswer(
        by=question.by,
        measures=question.measures,
        lines=lines,
        total=[levels[0].value(name, 0) for name in question.measures],
        basis=[counting.basis[name] if name in found else None for name in question.measures],
        not_found=list(dict.fromkeys(name for name in question.measures if name not in found)),
        withheld=withheld,
        kept_out=[counting.kept_out[name] if name in found else None for name in question.measures],
    )


def within_cube(model: ViewerModel, question: TotalsQuestion) -> tuple[frozenset[ColumnKey], frozenset[str]]:
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


@dataclass
class _Level:
    """The lines of one depth: their keys, and by measure the values and which of them are withheld."""

    keys: list[list[Any]]
    values: dict[str, list[Any]] = field(default_factory=dict)
    withheld: dict[str, Mask] = field(default_factory=dict)

    def value(self, name: str, line: int) -> Any:
        """The value of a measure in a line; null where there is none."""
        return self.values[name][line] if name in self.values else None


class _Counting:
    """Counts the rows of every measure depth by depth, from lines to the grand total; what a line withholds counts no further (7.3)."""

    def __init__(self, model: ViewerModel, asked: Asked, found: dict[str, CheckedMeasure], radix: Radix, secret: bytes) -> None:
        self.model, self.asked, self.found, self.radix, self.secret = model, asked, found, radix, secret
        self.basis: dict[str, int] = {}
        self.kept_out: dict[str, int] = {}
        self.any_row = False
        self._by_depth = model.has_whole_totals()
        self._rows: dict[tuple[str, str, int], Counted] = {}
        self._dropped: dict[str, Array] = {name: np.zeros(0, dtype=np.int64) for name in found}

    def rows(self, name: str, table: str, depth: int) -> Counted:
        """The rows of a table that count for a measure at a depth; the same at every depth but for whole totals."""
        key = (name, table, depth if self._by_depth else 0)
        if key not in self._rows:
            self._rows[key] = count(self.model, self.found[name], table, self.asked, depth, self.radix)
        return self._rows[key]

    def level(self, depth: int, names: list[str]) -> _Level:
        """The lines of one depth; the grand total has one even where no row counts."""
        counted = {
            name: {table: self.rows(name, table, depth).without(self._dropped[name]) for table in counted_tables(measure)}
            for name, measure in self.found.items()
        }
        groups = _Groups(self.radix, depth)
        own = [groups.of(self.rows(name, self.found[name].table, depth)) for name in counted]
        if depth == 0:
            self.any_row = any(len(numbers) for numbers in own)
        numbers = groups.present(own, always=depth == 0)
        level = _Level(self.radix.keys(numbers, depth))
        for name in (name for name in names if name in counted):
            rows = counted[name]
            if depth == 0:
                self.basis[name] = rows[self.found[name].table].basis
                self.kept_out[name] = rows[self.found[name].table].kept_out
            vector = evaluate(self.found[name].tree, _LineFrame(self.model, rows, groups, numbers, self.secret))
            known = np.broadcast_to(vector.known, (len(numbers),))
            withheld = np.logical_or.reduce([_too_few(part, groups.of(part), numbers) for part in rows.values()])
            if withheld.any():
                dropped = [np.unique(part.groups[np.isin(groups.of(part), numbers[withheld])]) for part in rows.values()]
                self._dropped[name] = np.unique(np.concatenate([self._dropped[name], *dropped]))
            level.values[name] = json_values(np.broadcast_to(vector.values, (len(numbers),)), known & ~withheld)
            level.withheld[name] = withheld
        return level


class _Groups:
    """The groups of one depth: prefixes of the numbers at full depth."""

    def __init__(self, radix: Radix, depth: int) -> None:
        self._divisor, self.size = radix.divisor(depth), radix.size(depth)
        self._prefixes: dict[int, tuple[Array, Array]] = {}

    @property
    def dense(self) -> bool:
        """Whether one array can have an entry for every combination."""
        return self.size <= DENSE_GROUPS

    def of(self, rows: Counted) -> Array:
        """The group of each counted row."""
        if self._divisor == 1:
            return rows.groups
        if id(rows.groups) not in self._prefixes:
            self._prefixes[id(rows.groups)] = (rows.groups, rows.groups // rows.groups.dtype.type(self._divisor))
        return self._prefixes[id(rows.groups)][1]

    def present(self, parts: list[Array], always: bool) -> Array:
        """The groups with a row in some part, sorted."""
        if not self.dense:
            return np.unique(np.concatenate([np.unique(groups) for groups in parts] or [np.zeros(0, np.int64)]))
        present = np.zeros(self.size, np.bool_)
        for groups in parts:
            present[groups] = True
        return np.flatnonzero(present | always)


def _too_few(rows: Counted, groups: Array, numbers: Array) -> Mask:
    """The lines in which cells count that need more rows than the line has (5.6)."""
    if rows.least is None or not len(numbers):
        return np.zeros(len(numbers), dtype=np.bool_)
    place = np.minimum(np.searchsorted(numbers, groups), len(numbers) - 1)
    inside = numbers[place] == groups
    counts = np.bincount(place, weights=inside if rows.weights is None else inside * rows.weights, minlength=len(numbers))
    needed = np.zeros(len(numbers), dtype=np.int64)
    np.maximum.at(needed, place[inside], rows.least[inside])
    return np.asarray(counts < needed)


class _LineFrame(AggregatesFrame):
    """Evaluates what stands around the aggregates of a measure, one entry a line."""

    def __init__(self, model: ViewerModel, counted: dict[str, Counted], groups: _Groups, numbers: Array, secret: bytes) -> None:
        self.model, self.data, self.counted, self.groups, self.numbers = model, model.data, counted, groups, numbers
        self._secret = secret
        self._domain = Domain("")

    @property
    def as_of(self) -> Any:
        return self.data.as_of

    def aggregate(self, node: tree.Aggregate) -> Vector:
        rows = self.counted[node.table]
        groups: Array = self.groups.of(rows)
        dense = self.groups.dense
        inside: Mask | None = None
        if not dense:
            position = np.minimum(np.searchsorted(self.numbers, groups), max(len(self.numbers) - 1, 0))
            inside = self.numbers[position] == groups if len(self.numbers) else np.zeros(len(groups), np.bool_)
            groups = position
        size = self.groups.size if dense else len(self.numbers)
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

    def _of_strata(self, node: tree.Aggregate, rows: Counted, strata: Strata, groups: Array, inside: Mask | None, size: int) -> Vector:
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
        if self.groups.dense:
            return Vector(result.values[self.numbers], result.known[self.numbers], self._domain)
        return Vector(result.values, result.known, self._domain)

    def _argument(self, node: tree.Aggregate, rows: Counted) -> tuple[Array, Mask]:
        """The argument's value in each counted row."""
        assert node.argument is not None
        argument = node.argument
        if node.function == "COUNT" and isinstance(argument, tree.ColumnRef):
            key = (argument.table, argument.column)
            if key in rows.values:
                return self._shown_numbers(node.table, key, rows)
            if node.distinct:
                codes = group_codes(self.data, node.table, key)
                picked = codes if rows.rows is None else codes[rows.rows]
                return picked, picked >= 0
        frame = _MaskedFrame(self.model, node.table, rows, self._secret) if rows.values else self.data.frame(node.table)
        vector = evaluate(argument, frame)
        count = self.data.rows(node.table)
        lifted = frame.lift(vector, Domain(node.table))
        if lifted.domain is None:
            return np.broadcast_to(lifted.values, len(rows.groups)), np.broadcast_to(lifted.known, len(rows.groups))
        known = np.broadcast_to(lifted.known, count + 1)
        return (lifted.values[:-1], known[:-1]) if rows.rows is None else (lifted.values[rows.rows], known[rows.rows])

    def _shown_numbers(self, table: str, key: ColumnKey, rows: Counted) -> tuple[Array, Mask]:
        """For a column that is only counted: a number for each value as it enters."""
        assert rows.rows is not None
        states = rows.values[key]
        shown = ShownColumn(self.data, key, self.model.ladder, np.unique(states).tolist(), self._secret)
        numbers = shown.numbers(states, codes_of(self.data, table, key, rows.rows))
        return numbers, numbers >= 0


class _MaskedFrame(RowsFrame):
    """Reads columns with masked values in place of those that enter totals masked (5.6)."""

    def __init__(self, model: ViewerModel, table: str, rows: Counted, secret: bytes) -> None:
        super().__init__(model.data, table, None)
        self._model, self._counted, self._secret = model, rows, secret

    def column(self, table: str, column: str) -> Vector:
        key = (table, column)
        vector = super().column(table, column)
        states = self._counted.values.get(key)
        if states is None:
            return vector
        assert self._counted.rows is not None
        vector = self.lift(vector, Domain(self.table))
        values = vector.values.copy()
        for state in np.unique(states[states > 0]).tolist():
            rows = self._counted.rows[states == state]
            masked = masked_values(self._model.ladder.kinds[state], values[rows], key, self._secret)
            if masked.dtype.kind == "f" and values.dtype.kind == "i":
                values = values.astype(np.float64)
            values[rows] = masked
        return Vector(values, vector.known, Domain(self.table))
