"""Totals for many viewers at once: visibility on strata as a matrix, multiplied with what the strata sum up to.

Viewers who hold the same roles of a model ask the same strata; only which strata they see differs. Where that is not so
(masks, whole totals, restrictions that travel up, no strata, extremes), each is answered alone, with the same result.
"""

from collections.abc import Sequence
from typing import Any

import numpy as np
import scipy.sparse

from moorland.core.collector import collector_paused
from moorland.core.engine.aggregates import AggregatesFrame, finished
from moorland.core.engine.asked import Attributes, Measures, PreparedTotals, counted_tables, prepare_totals
from moorland.core.engine.cells import json_values
from moorland.core.engine.counting import Radix, when_columns
from moorland.core.engine.exact_sums import Sums
from moorland.core.engine.questions import Answer, Line, TotalsAnswer, TotalsQuestion
from moorland.core.engine.strata import Strata, strata_for
from moorland.core.engine.visibility_matrix import VisibilityMatrix, visible_to
from moorland.core.engine.visible import ViewerModel
from moorland.core.language import tree
from moorland.core.language.evaluation import evaluate, true_rows
from moorland.core.language.vectors import Array, Domain, Vector
from moorland.core.people import Viewer

#: So many cells a matrix of viewers and rows may have at once; more viewers wait for the next turn.
MOST_CELLS = 1 << 25
#: Up to so many groups lines are kept as one matrix.
MOST_GROUPS = 1 << 16
#: Up to so many groups are added up one after the other, in blocks of strata that stay near the processor.
MOST_DENSE_GROUPS = 512
BLOCK = 1024
_LINE_FIELDS = set(Line.model_fields)
#: Fewer viewers are answered one by one.
LEAST_VIEWERS = 8


def totals_together(
    model: ViewerModel,
    viewers: Sequence[Viewer],
    question: TotalsQuestion,
    measures: Measures,
    attributes: Attributes,
    secret: bytes,
) -> list[Answer] | None:
    """The answers of viewers who hold the same roles as the viewer of `model`; None where each has to be answered alone. Raises Refused for all of them."""
    if question.made or question.order or question.limit is not None or question.offset:
        return None
    data = model.data
    prepared = prepare_totals(model, question, measures, attributes)
    asked, found = prepared.asked, prepared.found
    if not found or model.has_whole_totals() or (asked.condition is not None and tree.viewer_values_read(asked.condition)):
        return None
    if any(model.masks_any(measure.inputs | asked.keys) for measure in found.values()):
        return None
    radix = Radix(model, asked.by, secret)
    if radix.size(len(asked.by)) > MOST_GROUPS:
        return None
    strata: dict[tuple[str, str], Strata] = {}
    for name, measure in found.items():
        for table in counted_tables(measure):
            aggregates = [node for node in measure.tree.walk() if isinstance(node, tree.Aggregate) and node.table == table]
            made = strata_for(model, table, asked.keys | when_columns([model], table, measure.inputs | asked.keys), aggregates)
            if made is None or any(node.function in ("MIN", "MAX") for node in aggregates):
                return None
            strata[name, table] = made
    turn = max(
        1,
        MOST_CELLS
        // max(1, *(one.data.rows(table) for (_, table), one in strata.items()), *map(data.rows, data.schema.tables.keys() - {t for _, t in strata})),
    )
    answers: list[Answer] = []
    with collector_paused():
        for start in range(0, len(viewers), turn):
            answers += _Together(model, viewers[start : start + turn], question, prepared, strata, radix).answers()
    return answers


def changes_together(before: ViewerModel, after: ViewerModel, old: Sequence[Viewer], new: Sequence[Viewer], table: str) -> dict[str, list[int]] | None:
    """For viewers who hold the same roles before, and the same after: rows of a table visible before, after, gained and lost, viewer by viewer.

    None where each has to be looked at alone: another content of the table, or restrictions that travel up.
    """
    data = before.data
    same = data.tables[table].version == after.data.tables[table].version and data.schema.model == after.data.schema.model and data is after.data
    if not same or any(step.carries_up for steps in data.schema.parents.values() for step in steps):
        return None
    strata = strata_for(before, table, beside=(after,))
    frame = data if strata is None else strata.data
    each = data.weights(table)
    counts = strata.counts.astype(np.float64) if strata is not None else np.ones(data.rows(table)) if each is None else each.astype(np.float64)
    found: dict[str, list[int]] = {"before": [], "after": [], "gained": [], "lost": []}
    turn = max(1, MOST_CELLS // max(1, len(counts), *(data.rows(name) for name in data.schema.paths[table])))
    for start in range(0, len(old), turn):
        views = []
        for model, viewers in ((before, old[start : start + turn]), (after, new[start : start + turn])):
            grants = [VisibilityMatrix(rows.role, viewers, frame) for rows in model.granting((), (table,))]
            limits = [VisibilityMatrix(rows.role, viewers, frame) for rows in model.limits]
            views.append(visible_to(grants, limits, table, len(viewers)))
        first, second = views
        had, has, both = (weighed(counts, mask) for mask in (first, second, first & second))
        for name, numbers in (("before", had), ("after", has), ("gained", has - both), ("lost", had - both)):
            found[name] += np.rint(numbers).astype(np.int64).tolist()
    return found


def weighed(weights: Array, seen: Array) -> Array:
    """The weights of the rows each viewer sees, added up; in blocks that stay near the processor. Shape (viewers,)."""
    result = np.zeros(seen.shape[1])
    for start in range(0, len(weights), BLOCK):
        result += weights[start : start + BLOCK] @ seen[start : start + BLOCK].astype(np.float64)
    return result


class _Together:
    """The viewers of one turn."""

    def __init__(
        self,
        model: ViewerModel,
        viewers: Sequence[Viewer],
        question: TotalsQuestion,
        prepared: PreparedTotals,
        strata: dict[tuple[str, str], Strata],
        radix: Radix,
    ) -> None:
        self.model, self.viewers, self.question, self.prepared = model, viewers, question, prepared
        self.asked, self.found = prepared.asked, prepared.found
        self.strata, self.radix = strata, radix
        self.size = radix.size(len(self.asked.by))
        self._matrices: dict[object, VisibilityMatrix] = {}
        self._seen: dict[object, Array] = {}
        self._products: dict[object, tuple[tuple[Array, ...], Array, tuple[Array, ...]]] = {}
        self.rows = {name: self._counted(name, measure.table) for name, measure in self.found.items()}

    def answers(self) -> list[Answer]:
        """One answer for each viewer."""
        levels = [self._level(depth) for depth in self.prepared.depths]
        totals, depths = levels[-1], self.prepared.depths[:-1] or self.prepared.depths
        basis = {name: self._grouped(self.rows[name], 0)[:, 0].astype(np.int64).tolist() for name in self.found}
        found: list[Answer] = []
        for place in range(len(self.viewers)):
            lines: list[Line] = []
            for depth, (present, keys, values) in zip(depths, levels, strict=False):
                shown = None if depth == len(self.asked.by) else depth
                own = np.flatnonzero(present[place]).tolist()
                rows = zip(*(values[name][place] for name in self.question.measures), strict=True)
                every = list(rows)
                lines += [_line(keys[group], list(every[group]), shown) for group in own]
            found.append(
                TotalsAnswer.model_construct(
                    by=self.question.by,
                    measures=self.question.measures,
                    lines=lines,
                    total=[totals[2][name][place][0] for name in self.question.measures],
                    basis=[basis[name][place] if name in self.found else None for name in self.question.measures],
                    not_found=self.prepared.not_found,
                    withheld=[],
                    kept_out=[0 if name in self.found else None for name in self.question.measures],
                )
            )
        return found

    def _level(self, depth: int) -> tuple[Array, list[list[Any]], dict[str, list[list[Any]]]]:
        """For one depth which groups each viewer has, their keys, and by measure the values of every viewer and group."""
        counts = [self._grouped(rows, depth) for rows in self.rows.values()]
        present = np.logical_or.reduce([count > 0 for count in counts])
        size = self.radix.size(depth)
        values: dict[str, list[list[Any]]] = {name: [[None] * size] * len(self.viewers) for name in self.question.measures}
        for name, measure in self.found.items():
            vector = evaluate(measure.tree, _ViewersFrame(self, name, depth))
            shape = (len(self.viewers) * size,)
            plain = json_values(np.broadcast_to(vector.values, shape), np.broadcast_to(vector.known, shape))
            values[name] = [plain[place * size : (place + 1) * size] for place in range(len(self.viewers))]
        return present, self.radix.keys(np.arange(size), depth), values

    def _grouped(self, sums: Array, depth: int) -> Array:
        """Sums by full key added up by the prefix of a depth. Shape (viewers, groups)."""
        divisor = self.radix.divisor(depth)
        return sums if divisor == 1 else sums.reshape(len(sums), -1, divisor).sum(axis=2)

    def _visible(self, name: str, table: str) -> Array:
        """The strata of a table that count for a measure. Shape (strata, viewers)."""
        measure, strata = self.found[name], self.strata[name, table]
        grants = self.prepared.granting(self.model, measure)
        key = (id(strata), tuple(grant.name for grant in grants))
        if key not in self._seen:
            data = strata.data
            opening = [self._matrix(rows.role, strata) for rows in grants]
            seen = visible_to(opening, [self._matrix(rows.role, strata) for rows in self.model.limits], table, len(self.viewers))
            if self.asked.condition is not None:
                seen = seen & true_rows(self.asked.condition, data.frame(table), table, data.rows(table))[:, np.newaxis]
            self._seen[key] = seen
        return self._seen[key]

    def _matrix(self, role: Any, strata: Strata) -> VisibilityMatrix:
        key = (id(strata), role.role.name)
        if key not in self._matrices:
            self._matrices[key] = VisibilityMatrix(role, self.viewers, strata.data)
        return self._matrices[key]

    def _counted(self, name: str, table: str) -> Array:
        """By viewer and group, how many rows count."""
        strata = self.strata[name, table]
        return self._multiplied(self._visible(name, table), self.radix.of(table, strata.data).astype(np.int64), strata.counts)[0]

    def _multiplied(self, seen: Array, groups: Array, *weights: Array) -> tuple[Array, ...]:
        """What each viewer sees of some weights, group by group: each of shape (viewers, groups)."""
        key = (id(seen), *(id(values) for values in weights))
        if key not in self._products:
            self._products[key] = (tuple(self._added_up(seen, groups, np.stack(weights).astype(np.float64))), seen, weights)
        return self._products[key][0]

    def _added_up(self, seen: Array, groups: Array, weights: Array) -> Array:
        """What each viewer sees of weights of shape (kinds, strata). Shape (kinds, viewers, groups)."""
        if self.size > MOST_DENSE_GROUPS:
            places, whole = (groups, np.arange(len(groups))), seen.astype(np.float64)
            return np.stack([(scipy.sparse.csr_array((values, places), shape=(self.size, len(groups))) @ whole).T for values in weights])
        result = np.zeros((self.size, len(weights), len(self.viewers)))
        order = np.argsort(groups, kind="stable")
        stops = np.cumsum(np.bincount(groups, minlength=self.size))
        for group, (start, stop) in enumerate(zip(np.append(0, stops[:-1]).tolist(), stops.tolist(), strict=True)):
            for first in range(start, stop, BLOCK):
                rows = order[first : min(first + BLOCK, stop)]
                result[group] += weights[:, rows] @ seen[rows].astype(np.float64)
        return np.ascontiguousarray(result.transpose(1, 2, 0))

    def aggregate(self, name: str, node: tree.Aggregate, depth: int) -> Vector:
        """An aggregate in every line of every viewer."""
        strata = self.strata[name, node.table]
        partial = strata.partial(node)
        assert partial is not None
        seen, groups = self._visible(name, node.table), self.radix.of(node.table, strata.data).astype(np.int64)
        kinds = partial.values.parts if isinstance(partial.values, Sums) else (partial.values,)
        counts, *sums = (self._grouped(part, depth).ravel() for part in self._multiplied(seen, groups, partial.counts, *kinds))
        if isinstance(partial.values, Sums):
            totals, fits = Sums(len(counts), tuple(sums), partial.values.scales).rounded()
        else:
            totals, fits = sums[0], None
            if node.function == "SUM" and partial.values.dtype == np.int64:
                totals = totals.astype(np.int64)
        result = finished(node.function, counts, totals, fits)
        return Vector(result.values, result.known, Domain(""))


def _line(key: list[Any], values: list[Any], depth: int | None) -> Line:
    """A line, made without validating what was just computed: there are as many as viewers times groups."""
    line = Line.__new__(Line)
    object.__setattr__(line, "__dict__", {"key": key, "values": values, "depth": depth})
    object.__setattr__(line, "__pydantic_fields_set__", _LINE_FIELDS)
    object.__setattr__(line, "__pydantic_extra__", None)
    object.__setattr__(line, "__pydantic_private__", None)
    return line


class _ViewersFrame(AggregatesFrame):
    """Evaluates what stands around the aggregates of a measure, one entry a viewer and line."""

    def __init__(self, together: _Together, name: str, depth: int) -> None:
        self._together, self._name, self._depth = together, name, depth

    @property
    def as_of(self) -> Any:
        return self._together.model.data.as_of

    def aggregate(self, node: tree.Aggregate) -> Vector:
        return self._together.aggregate(self._name, node, self._depth)
