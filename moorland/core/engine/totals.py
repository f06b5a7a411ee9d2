"""Totals: measures by columns over the rows a viewer sees (semantics.md 7.2, 7.3)."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from moorland.core.engine.aggregates import AggregatesFrame, aggregate, combined, weighted
from moorland.core.engine.asked import Asked, Attributes, Measures, counted_tables, prepare_totals
from moorland.core.engine.cells import codes_of, json_values
from moorland.core.engine.counting import Counted, Radix, count
from moorland.core.engine.grouping import group_codes
from moorland.core.engine.masking import ShownColumn
from moorland.core.engine.model_data import RowsFrame
from moorland.core.engine.questions import Line, TotalsAnswer, TotalsQuestion
from moorland.core.engine.strata import Partial
from moorland.core.engine.visible import ViewerModel
from moorland.core.language import tree
from moorland.core.language.derived import ColumnKey
from moorland.core.language.evaluation import evaluate
from moorland.core.language.measures import CheckedMeasure
from moorland.core.language.vectors import Array, Domain, Mask, Vector
from moorland.core.price import pay_lines, step

#: Up to so many combinations of the columns asked by, groups are counted in one dense array.
DENSE_GROUPS = 1 << 20


def answer_totals(model: ViewerModel, question: TotalsQuestion, measures: Measures, attributes: Attributes, secret: bytes) -> TotalsAnswer:
    """The answer to a totals question (7.2). Raises Refused."""
    prepared = prepare_totals(model, question, measures, attributes)
    asked, found = prepared.asked, prepared.found
    counting = Counting(prepared.model, asked, found, secret)
    lines: list[Line] = []
    all_lines: int | None = None
    withheld: list[list[Any]] = []
    levels = {depth: counting.level(depth) for depth in prepared.depths}
    for depth, level in levels.items():
        wanted: Sequence[int] = range(len(level.keys)) if depth or asked.by else range(int(counting.any_row))
        kept: Sequence[int] = range(len(level.keys))
        if depth == len(asked.by):
            all_lines, wanted = len(wanted), _chosen(question, prepared.order, level, wanted)
            kept = wanted if depth else kept
        withheld += [[level.keys[line], name] for name in level.values for line in kept if level.withheld[name][line]]
        if depth or not asked.by:
            shown = [
                Line(key=level.keys[line], values=[level.value(name, line) for name in question.measures], depth=depth if depth < len(asked.by) else None)
                for line in wanted
            ]
            lines += shown
    return TotalsAnswer(
        by=question.by,
        measures=question.measures,
        lines=lines,
        total=[levels[0].value(name, 0) for name in question.measures],
        basis=[counting.basis[name] if name in found else None for name in question.measures],
        not_found=prepared.not_found,
        withheld=withheld,
        all_lines=all_lines if question.limit is not None or question.offset else None,
        kept_out=[counting.kept_out[name] if name in found else None for name in question.measures],
    )


def _chosen(question: TotalsQuestion, order: Sequence[tuple[int | str, bool]], level: "Level", lines: Sequence[int]) -> Sequence[int]:
    """The places of the lines asked for: in their order, nulls last either way, equal ones by key; from `offset`, at most `limit` (7.9)."""
    chosen = list(lines)
    for item, descending in reversed(order):
        values = [level.keys[line][item] if isinstance(item, int) else level.value(item, line) for line in range(len(level.keys))]
        known = sorted((line for line in chosen if values[line] is not None), key=values.__getitem__, reverse=descending)
        chosen = [*known, *(line for line in chosen if values[line] is None)]
    end = None if question.limit is None else question.offset + question.limit
    return chosen[question.offset : end]


@dataclass
class Level:
    """The lines of one depth: their keys, and by measure the values and which of them are withheld."""

    keys: list[list[Any]]
    values: dict[str, list[Any]] = field(default_factory=dict)
    withheld: dict[str, Mask] = field(default_factory=dict)

    def value(self, name: str, line: int) -> Any:
        """The value of a measure in a line; null where there is none."""
        return self.values[name][line] if name in self.values else None


class Counting:
    """Counts the rows of every measure depth by depth, from lines to the grand total; what a line withholds counts no further (7.3).

    With `beside`, everything is counted on strata that serve those views of the same data too; without `strata`, on rows.
    """

    def __init__(
        self, model: ViewerModel, asked: Asked, found: dict[str, CheckedMeasure], secret: bytes, beside: Sequence[ViewerModel] = (), strata: bool = True
    ) -> None:
        self.model, self.asked, self.found, self.secret = model, asked, found, secret
        self.radix = Radix(model, asked.by, secret)
        self._beside, self._strata = beside, strata
        self.basis: dict[str, int] = {}
        self.kept_out: dict[str, int] = {}
        self.any_row = False
        self._by_depth = model.has_whole_totals()
        self._rows: dict[tuple[str, str, int], Counted] = {}
        self._dropped: dict[tuple[str, str], Mask] = {}

    def rows(self, name: str, table: str, depth: int) -> Counted:
        """The rows of a table that count for a measure at a depth; the same at every depth but for whole totals.

        Where rows may be withheld from one depth and lifted into another they are rows, not strata, at every depth.
        """
        key = (name, table, depth if self._by_depth else 0)
        if key not in self._rows:
            measure = self.found[name]
            strata = self._strata and not (self._by_depth and self.model.masks_any(measure.inputs | self.asked.keys))
            self._rows[key] = count(self.model, measure, table, self.asked, depth, self.radix, strata, self._beside)
        return self._rows[key]

    def standing(self, name: str, table: str, depth: int) -> Counted:
        """Those of `rows` that no line of the levels worked out so far withholds."""
        return self.rows(name, table, depth).without(self._dropped.get((name, table)))

    def level(self, depth: int) -> Level:
        """The lines of one depth; the grand total has one even where no row counts."""
        groups = Groups(self.radix, depth)
        own = [groups.of(self.rows(name, measure.table, depth)) for name, measure in self.found.items()]
        if depth == 0:
            self.any_row = any(len(numbers) for numbers in own)
        numbers = groups.present(own, always=depth == 0)
        pay_lines(len(numbers), depth + len(self.found))
        level = Level(self.radix.keys(numbers, depth))
        for name, measure in self.found.items():
            step()
            every = {table: self.rows(name, table, depth) for table in counted_tables(measure)}
            rows = {table: self.standing(name, table, depth) for table in every}
            if depth == 0:
                self.basis[name], self.kept_out[name] = rows[measure.table].basis, rows[measure.table].kept_out
            vector = evaluate(measure.tree, _LineFrame(self.model, rows, groups, numbers, self.secret))
            known = np.broadcast_to(vector.known, (len(numbers),))
            withheld = np.logical_or.reduce([_withheld(every[table], part, groups, numbers) for table, part in rows.items()])
            if withheld.any():
                self._drop(name, rows, groups, numbers[withheld])
            level.values[name] = json_values(np.broadcast_to(vector.values, (len(numbers),)), known & ~withheld)
            level.withheld[name] = withheld
        return level

    def _drop(self, name: str, rows: dict[str, Counted], groups: "Groups", withheld: Array) -> None:
        """The rows of withheld lines count no further in the measure, as rows, whatever line they would stand in (7.3)."""
        for table, part in rows.items():
            size = self.model.data.rows(table) if part.strata is None else len(part.strata.counts)
            dropped = self._dropped.setdefault((name, table), np.zeros(size, dtype=np.bool_))
            dropped[part.places[np.isin(groups.of(part), withheld)]] = True


def line_figure(model: ViewerModel, measure: CheckedMeasure, rows: dict[str, Counted], secret: bytes) -> Any:
    """The value of a measure over some rows of each of its tables as one line, as a JSON value; null where there is none."""
    one = Groups(Radix(model, (), secret), 0)
    vector = evaluate(measure.tree, _LineFrame(model, rows, one, np.zeros(1, np.int64), secret))
    return json_values(np.broadcast_to(vector.values, (1,)), np.broadcast_to(vector.known, (1,)))[0]


class Groups:
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


def _withheld(every: Counted, rows: Counted, groups: Groups, numbers: Array) -> Mask:
    """The lines that are withheld: in which cells count that need more rows than the line has, or all of whose rows were withheld before (5.6, 7.3).

    `every` are the rows that count, `rows` those of them that no line withheld.
    """
    counts, needed = np.zeros(len(numbers)), np.zeros(len(numbers), dtype=np.int64)
    if every is rows and rows.least is None:
        return needed > 0
    had, inside = _lines_of(groups.of(every), numbers)
    before = np.bincount(had[inside], minlength=len(numbers))
    place, inside = _lines_of(groups.of(rows), numbers)
    counts += np.bincount(place[inside], weights=None if rows.weights is None else rows.weights[inside], minlength=len(numbers))
    if rows.least is not None:
        np.maximum.at(needed, place[inside], rows.least[inside])
    return np.asarray((counts < needed) | ((before > 0) & (counts == 0)))


def _lines_of(groups: Array, numbers: Array) -> tuple[Array, Mask]:
    """For each group its place among the lines, and whether it is one of them."""
    if not len(numbers):
        return np.zeros(len(groups), np.int64), np.zeros(len(groups), np.bool_)
    place = np.minimum(np.searchsorted(numbers, groups), len(numbers) - 1)
    return place, numbers[place] == groups


class _LineFrame(AggregatesFrame):
    """Evaluates what stands around the aggregates of a measure, one entry a line."""

    def __init__(self, model: ViewerModel, counted: dict[str, Counted], groups: Groups, numbers: Array, secret: bytes) -> None:
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
            groups, inside = _lines_of(groups, self.numbers)
        size = self.groups.size if dense else len(self.numbers)
        partial = rows.strata.partial(node) if rows.strata is not None and not node.distinct and not rows.values else None
        if partial is not None:
            return self._of_strata(node, rows, partial, groups, inside, size)
        if rows.weights is not None:
            values, known = self._argument(node, rows)
            result = weighted(node.function, node.distinct, values, known if inside is None else known & inside, rows.weights, groups, size)
        elif node.argument is None:
            known = np.ones(len(groups), np.bool_) if inside is None else inside
            result = aggregate("COUNT", False, known, known, groups, size)
        else:
            values, known = self._argument(node, rows)
            result = aggregate(node.function, node.distinct, values, known if inside is None else known & inside, groups, size)
        if dense:
            return Vector(result.values[self.numbers], result.known[self.numbers], self._domain)
        return Vector(result.values, result.known, self._domain)

    def _of_strata(self, node: tree.Aggregate, rows: Counted, partial: Partial, groups: Array, inside: Mask | None, size: int) -> Vector:
        """The aggregate from what is summed up by stratum."""
        picked = partial.of(rows.rows)
        if inside is not None:
            picked, groups = picked.of(np.flatnonzero(inside)), groups[inside]
        result = combined(node.function, picked.counts, picked.values, groups, size)
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
            masked = self._model.ladder.kinds[state].shown(values[rows], key, self._secret)
            assert masked is not None
            if masked.dtype.kind == "f" and values.dtype.kind == "i":
                values = values.astype(np.float64)
            values[rows] = masked
        return Vector(values, vector.known, Domain(self.table))
