"""Which rows count in a measure, in which group, and with which values (semantics.md 7.2, 8)."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from functools import reduce
from typing import Any

import numpy as np

from moorland.core.engine.asked import Asked, granting_measure
from moorland.core.engine.cells import plain_values
from moorland.core.engine.grouping import codes_with_null, group_labels
from moorland.core.engine.masking import CLEAR, Entering, Layer, ShownColumn, entering
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.questions import Refused
from moorland.core.engine.strata import Strata, strata_for
from moorland.core.engine.visible import RoleRows, ViewerModel, lifted, roles_in
from moorland.core.language import tree
from moorland.core.language.derived import ColumnKey
from moorland.core.language.evaluation import true_rows
from moorland.core.language.measures import CheckedMeasure
from moorland.core.language.vectors import Array, Mask

_MOST_COMBINATIONS = 1 << 62


@dataclass(frozen=True)
class Counted:
    """The rows of one table that count for a measure: their indices (None: all), and their group at full depth.

    With `strata` they are strata, each of which stands for as many rows as it has. `least` is for each how many rows its
    line needs (5.6), `values` for columns shown masked the state whose value enters. `kept_out` counts visible rows that
    masks keep out.
    """

    rows: Array | None
    groups: Array
    strata: Strata | None = None
    least: Array | None = None
    values: dict[ColumnKey, Array] = field(default_factory=dict)
    kept_out: int = 0

    @property
    def weights(self) -> Array | None:
        """How many rows each stands for; None where each is one."""
        if self.strata is None:
            return None
        return self.strata.counts if self.rows is None else self.strata.counts[self.rows]

    @property
    def basis(self) -> int:
        """How many rows count."""
        weights = self.weights
        return len(self.groups) if weights is None else int(weights.sum())

    @property
    def places(self) -> Array:
        """The rows, or strata, that count, by their place in the table."""
        return np.arange(len(self.groups)) if self.rows is None else self.rows

    def without(self, dropped: Mask | None) -> "Counted":
        """The same without some rows, or strata, of the table; None: all stay."""
        if dropped is None:
            return self
        kept = np.flatnonzero(~dropped[self.places])
        return Counted(
            self.places[kept],
            self.groups[kept],
            self.strata,
            None if self.least is None else self.least[kept],
            {key: states[kept] for key, states in self.values.items()},
            self.kept_out,
        )


class Radix:
    """Combinations of the columns asked by, as they are shown, as one number; equal numbers are equal keys in every table, and sort as keys do, nulls last."""

    def __init__(self, model: ViewerModel, by: Sequence[ColumnKey], secret: bytes) -> None:
        data = model.data
        self.data, self.by = data, list(by)
        self._shown: dict[ColumnKey, ShownColumn] = {}
        for key in by:
            states = {layer.state for rows in (*model.grants, *model.limits) for layer in rows.layers(key)}
            if states and not model.compares:
                self._shown[key] = ShownColumn(data, key, model.ladder, states, secret)
        self.sizes = [(len(self._shown[key].labels) if key in self._shown else len(group_labels(data, key)[0])) + 1 for key in by]
        if reduce(lambda product, size: product * size, self.sizes, 1) > _MOST_COMBINATIONS:
            raise Refused("invalid", "There are too many combinations of these columns; ask by fewer.")

    def number(self, key: Sequence[Any]) -> int | None:
        """The number of a prefix's key, given as JSON values; None where no column has a value shown so."""
        number = 0
        for column, size, value in zip(self.by, self.sizes, key, strict=False):
            labels = self._labels(column)
            if value not in labels:
                return None
            number = number * size + labels.index(value)
        return number

    def size(self, depth: int) -> int:
        """How many combinations the first `depth` columns can have."""
        return reduce(lambda product, size: product * size, self.sizes[:depth], 1)

    def divisor(self, depth: int) -> int:
        """What a number at full depth is divided by to give that of its prefix."""
        return self.size(len(self.by)) // self.size(depth)

    def of(self, table: str, data: ModelData) -> Array:
        """The number of each row of a table, or of each stratum, with all cells clear; shape (rows,), int32 where it fits. Cached."""
        return data.cache.get(("groups", table, tuple(self.by)), lambda: self._numbered(table, data, {}))

    def shown(self, table: str, data: ModelData, states: dict[ColumnKey, Array]) -> Array:
        """The same for cells in these states; columns that are not there are clear."""
        return self._numbered(table, data, states)

    def _numbered(self, table: str, data: ModelData, states: dict[ColumnKey, Array]) -> Array:
        dtype = np.int32 if self.size(len(self.by)) < 2**31 else np.int64
        result: Array = np.zeros(data.rows(table), dtype=dtype)
        for position, (key, size) in enumerate(zip(self.by, self.sizes, strict=True)):
            codes: Array = codes_with_null(data, table, key)[:-1]
            if key in self._shown:
                codes = self._shown[key].numbers(states.get(key, CLEAR), codes)
            codes = codes.astype(dtype)
            codes[codes < 0] = size - 1
            if position:
                result *= dtype(size)
                result += codes
            else:
                result = codes
        return result

    def keys(self, numbers: Array, depth: int) -> list[list[Any]]:
        """The key of each number of a prefix, as JSON values."""
        columns = []
        rest = numbers.astype(np.int64)
        for key, size in reversed(list(zip(self.by[:depth], self.sizes[:depth], strict=True))):
            codes = rest % size
            rest = rest // size
            labels = self._labels(key)
            columns.append([labels[code] for code in codes.tolist()])
        return [list(key) for key in zip(*reversed(columns), strict=True)] if columns else [[] for _ in numbers]

    def _labels(self, key: ColumnKey) -> list[Any]:
        labels = self._shown[key].labels if key in self._shown else plain_values(group_labels(self.data, key)[0])
        return [*labels, None]


def count(
    model: ViewerModel,
    measure: CheckedMeasure,
    table: str,
    asked: Asked,
    depth: int,
    radix: Radix,
    strata: bool = True,
    beside: Sequence[ViewerModel] = (),
) -> Counted:
    """The rows of a table that count for a measure in lines of a depth (7.2); on strata where they pay, unless told not to.

    With `beside`, on strata on which those views of the same data can be counted too.
    """
    standing: Strata | None = model.data.strata_of(table)
    if standing is not None:
        return _counted(model, measure, table, asked, depth, radix, standing)
    found = strata_of_measure((model, *beside), measure, table, asked) if strata else None
    if found is not None:
        counted = _counted(model.on(found.data), measure, table, asked, depth, radix, found)
        if not counted.values:
            return counted
    return _counted(model, measure, table, asked, depth, radix, None)


def strata_of_measure(models: Sequence[ViewerModel], measure: CheckedMeasure, table: str, asked: Asked) -> Strata | None:
    """The strata of a table on which a measure asked so can be counted for all of some views of the same data; None where rows have to be."""
    aggregates = [node for node in measure.tree.walk() if isinstance(node, tree.Aggregate) and node.table == table]
    when = when_columns(models, table, measure.inputs | asked.keys)
    return strata_for(models[0], table, asked.keys | when, aggregates, models[1:])


def when_columns(models: Sequence[ViewerModel], table: str, keys: Iterable[ColumnKey]) -> frozenset[ColumnKey]:
    """The columns of a table, and keys toward its lookups, on which the states of cells depend in it for some of several views of the same data."""
    schema = models[0].data.schema
    masks = [mask for rows in roles_in(models) for mask in rows.role.masks]
    found: set[ColumnKey] = set()
    for key in models[0].derived_inputs(key for key in keys if schema.reaches(table, key[0])) if masks else ():
        for mask in masks:
            if mask.column[1] == key[1] and mask.column[0] in (key[0], schema.original(key[0])):
                found |= mask.reads if key[0] == table else {key}
    return frozenset(found)


def _counted(model: ViewerModel, measure: CheckedMeasure, table: str, asked: Asked, depth: int, radix: Radix, strata: Strata | None) -> Counted:
    if model.compares:
        mask = model.counted_by_none(lambda one: _counted_mask(one, measure, table, asked, depth))
        return _plain(model, table, mask, asked, radix, strata)
    grants = granting_measure(model, measure, asked)
    if not model.masks_any(_read_in(model, measure, table, asked)):
        return _plain(model, table, _visible(model, grants, table, asked.used(depth), measure), asked, radix, strata)
    return _Covered(model, grants, measure, table, asked, depth).counted(radix, strata)


def _read_in(model: ViewerModel, measure: CheckedMeasure, table: str, asked: Asked) -> frozenset[ColumnKey]:
    """The cells that matter in a row of a table: those it reaches of what the measure and the question read (7.2)."""
    return frozenset(key for key in measure.inputs | asked.keys if model.data.schema.reaches(table, key[0]))


def _counted_mask(model: ViewerModel, measure: CheckedMeasure, table: str, asked: Asked, depth: int) -> Mask:
    """The rows of a table that count for a viewer, before the question's filter where nothing is masked."""
    rows = model.data.rows(table)
    grants = granting_measure(model, measure, asked)
    if model.masks_any(_read_in(model, measure, table, asked)):
        return _Covered(model, grants, measure, table, asked, depth).any
    mask = _visible(model, grants, table, asked.used(depth), measure)
    return np.ones(rows, dtype=np.bool_) if mask is None else mask


def _visible(model: ViewerModel, grants: list[RoleRows], table: str, used: frozenset[ColumnKey], measure: CheckedMeasure) -> Mask | None:
    """The rows visible through some of the grants, whole totals let in but for measures made for the occasion; None for all rows (6.4, 7.8, 8.2)."""
    if measure.made or not model.has_whole_totals():
        return model.rows(table, grants)
    limits = model.limit_rows(table)
    result: Mask | None = np.zeros(model.data.rows(table), dtype=np.bool_)
    for grant in grants:
        mask = grant.counting(table, used, model)
        result = None if mask is None or result is None else result | mask
    return limits if result is None else result if limits is None else result & limits


def _plain(model: ViewerModel, table: str, mask: Mask | None, asked: Asked, radix: Radix, strata: Strata | None) -> Counted:
    """Rows of which no cell that matters is masked."""
    if asked.condition is not None:
        passing = true_rows(asked.condition, model.data.frame(table, model.viewer.values), table, model.data.rows(table))
        mask = passing if mask is None else mask & passing
    rows = None if mask is None else np.flatnonzero(mask)
    groups = radix.of(table, model.data)
    return Counted(rows, groups if rows is None else groups[rows], strata)


class _Covered:
    """The rows that count where cells are masked: through which roles, and with which values (7.2).

    `through[i]` marks the rows that count through the i-th grant.
    """

    def __init__(self, model: ViewerModel, grants: list[RoleRows], measure: CheckedMeasure, table: str, asked: Asked, depth: int) -> None:
        self.model, self.table, self.asked, self.data = model, table, asked, model.data
        self.grants = sorted(grants, key=lambda grant: grant.name)
        schema = self.data.schema
        self.inputs = sorted(key for key in measure.inputs if schema.reaches(table, key[0]))
        self._counted_only = _only_counted(measure, self.data)
        self._made = measure.made
        rows = self.data.rows(table)
        usable = np.ones(rows, dtype=np.bool_)
        if asked.condition is not None:
            usable &= true_rows(asked.condition, self.data.frame(table, model.viewer.values), table, rows)
        limit = model.limit_rows(table)
        if limit is not None:
            usable &= limit
        self._limits = {key: self._entering(model.limits, key) for key in self.inputs}
        self.visible = np.zeros(rows, dtype=np.bool_)
        clear = usable & self._clear(model.limits)
        for enter in self._limits.values():
            if enter is not None:
                clear &= enter.enters
        self.through: list[Mask] = []
        self._entries: list[dict[ColumnKey, Entering | None]] = []
        for grant in self.grants:
            mask = grant.of(table) if measure.made else grant.counting(table, asked.used(depth), model)
            visible = usable if mask is None else usable & mask
            self.visible |= visible
            entries = {key: self._entering([grant], key) for key in self.inputs}
            counts = visible & clear & self._clear([grant])
            for entry in entries.values():
                if entry is not None:
                    counts &= entry.enters
            self.through.append(counts)
            self._entries.append(entries)
        self.any: Mask = np.logical_or.reduce([*self.through, np.zeros(rows, dtype=np.bool_)])

    def counted(self, radix: Radix, strata: Strata | None) -> Counted:
        """The rows with their groups as shown, the least rows of their lines and the states whose values enter."""
        rows = np.flatnonzero(self.any)
        chosen = self._chosen(rows)
        least = np.zeros(len(rows), dtype=np.int64)
        values: dict[ColumnKey, Array] = {}
        for key in self.inputs:
            state = np.zeros(len(rows), dtype=np.int16)
            for index, entries in enumerate(self._entries):
                entry, own = entries[key], chosen == index
                if entry is not None:
                    state[own] = entry.value[rows[own]]
                    least[own] = np.maximum(least[own], entry.least[rows[own]])
            limit = self._limits[key]
            if limit is not None:
                state = np.maximum(state, limit.value[rows])
                least = np.maximum(least, limit.least[rows])
            if state.any():
                values[key] = state
        shown = radix.shown(self.table, self.data, {key: self._shown_states(key) for key in self.asked.by if self.model.masks_any([key])})
        kept_out = self.visible & ~self.any
        count = int(kept_out.sum()) if strata is None else int(strata.counts[kept_out].sum())
        return Counted(rows, shown[rows], strata, least if least.any() else None, values, count)

    def _clear(self, roles: Iterable[RoleRows]) -> Mask:
        """The rows in which the cells of the filter are clear under every one of the roles."""
        result = np.ones(self.data.rows(self.table), dtype=np.bool_)
        for role in roles:
            for key in self.asked.filtered:
                result &= np.asarray(role.states(self.table, key)) == CLEAR
        return result

    def _entering(self, roles: Iterable[RoleRows], key: ColumnKey) -> Entering | None:
        """How the cells of an input enter totals under all of some roles, in the rows of the table (rows,)."""
        layers = [_as_made(layer) if self._made else layer for role in roles for layer in role.layers(key)]
        found = entering(layers, self.data.rows(key[0]), key in self._counted_only, self.model.ladder)
        if found is None:
            return None
        return Entering(*(lifted(self.data, self.table, key[0], part) for part in (found.enters, found.value, found.least)))

    def _chosen(self, rows: Array) -> Array:
        """For each counting row the grant whose values enter: whose most covered input is least covered, then the next, then by name."""
        best = np.full(len(rows), -1, dtype=np.int64)
        covers: Array | None = None
        for index, grant in enumerate(self.grants):
            levels = [self.model.ladder.levels[np.broadcast_to(np.asarray(grant.states(self.table, key)), self.any.shape)[rows]] for key in self.inputs]
            own = -np.sort(-np.stack(levels), axis=0) if levels else np.zeros((0, len(rows)), dtype=np.int16)
            if covers is None:
                covers = own.copy()
            less, equal = np.zeros(len(rows), dtype=np.bool_), np.ones(len(rows), dtype=np.bool_)
            for mine, theirs in zip(own, covers, strict=True):
                less |= equal & (mine < theirs)
                equal &= mine == theirs
            better = self.through[index][rows] & ((best < 0) | less)
            best[better] = index
            covers[:, better] = own[:, better]
        return best

    def _shown_states(self, key: ColumnKey) -> Array:
        """The state in which a column asked by is shown: the least covering of the roles a row counts through, then the most covering of the limits (6.5)."""
        result = np.full(len(self.any), self.model.ladder.hidden, dtype=np.int16)
        for grant, counts in zip(self.grants, self.through, strict=True):
            result = np.where(counts, np.minimum(result, grant.states(self.table, key)), result)
        for limit in self.model.limits:
            result = np.maximum(result, limit.states(self.table, key))
        return result.astype(np.int16)


def _as_made(layer: Layer) -> Layer:
    """A mask as it stands toward a measure made for the occasion: `full` counts as `no` (5.6)."""
    return replace(layer, in_totals="no", least_rows=0) if layer.in_totals == "full" else layer


def _only_counted(measure: CheckedMeasure, data: ModelData) -> frozenset[ColumnKey]:
    """The inputs that stand only as the bare column of a COUNT: there a hash enters totals (5.6)."""
    bare: set[ColumnKey] = set()
    elsewhere: set[ColumnKey] = set()
    for node in measure.tree.walk():
        if not isinstance(node, tree.Aggregate) or node.argument is None:
            continue
        if node.function == "COUNT" and isinstance(node.argument, tree.ColumnRef):
            bare.add((node.argument.table, node.argument.column))
        else:
            elsewhere |= tree.columns_read(node.argument)
    derived = data.derived
    beneath = frozenset[ColumnKey]().union(*(derived[key].inputs for key in bare | elsewhere if key in derived))
    return frozenset(bare - elsewhere - beneath)
