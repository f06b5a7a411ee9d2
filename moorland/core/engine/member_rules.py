"""Members sentences: which members of a hierarchy are seen (semantics.md 5.3, 12.3, 12.4)."""

from collections.abc import Hashable
from dataclasses import dataclass
from typing import Any

import numpy as np

from moorland.core.bundle.model import Hierarchy
from moorland.core.bundle.values import TypedValue
from moorland.core.engine.grouping import codes_with_null, group_labels, places_of
from moorland.core.engine.model_data import ModelData, match
from moorland.core.language.derived import ColumnKey
from moorland.core.language.vectors import DTYPES, Array, Mask
from moorland.core.people import Viewer

#: The code of an item that stands for every value, null too.
EVERY = -2
_MOST_COMBINATIONS = 2.0**62


@dataclass(frozen=True)
class ViewerValues:
    """`{viewer: a}` in a path: each value of the attribute."""

    attribute: str


@dataclass(frozen=True)
class Entry:
    """A listed path, and whether what lies under it is seen."""

    path: tuple[TypedValue | ViewerValues, ...]
    see: bool


@dataclass(frozen=True)
class MembersRule:
    """A members sentence with its typed paths."""

    sentence: int
    text: str
    hierarchy: Hierarchy
    unlisted: bool
    entries: tuple[Entry, ...]
    whole: bool

    @property
    def table(self) -> str:
        return self.hierarchy.table

    @property
    def reads(self) -> frozenset[ColumnKey]:
        return frozenset((self.table, column) for column in self.hierarchy.columns)

    @property
    def viewer_reads(self) -> frozenset[str]:
        return frozenset(item.attribute for entry in self.entries for item in entry.path if isinstance(item, ViewerValues))

    def values(self, viewer: Viewer) -> Hashable:
        return tuple((name, viewer.values(name)) for name in sorted(self.viewer_reads))

    def mask(self, data: ModelData, viewer: Viewer) -> Mask:
        """The rows whose nearest listed ancestor-or-self is seen; `false` over `true` at equal length, else `unlisted`."""
        if self.hierarchy.levels is None:
            return self._tree_mask(data, viewer)
        result = np.full(data.rows(self.table), self.unlisted)
        columns = [codes_with_null(data, self.table, (self.table, level))[:-1] for level in self.hierarchy.levels]
        for depth in range(1, len(columns) + 1):
            for see in (True, False):
                paths = [path for entry in self.entries if entry.see == see and len(entry.path) == depth for path in self._coded(data, entry, viewer)]
                result[_matching(columns[:depth], paths)] = see
        return result

    def _coded(self, data: ModelData, entry: Entry, viewer: Viewer) -> list[tuple[int, ...]]:
        """The paths an entry stands for, as codes; those with values that are not in the data are left out."""
        paths: list[tuple[int, ...]] = [()]
        for item, column in zip(entry.path, self.hierarchy.levels or [self.hierarchy.key or ""], strict=False):
            paths = [(*path, code) for path in paths for code in self._codes(data, column, item, entry.see, viewer)]
        return paths

    def _codes(self, data: ModelData, column: str, item: TypedValue | ViewerValues, see: bool, viewer: Viewer) -> list[int]:
        labels, _ = group_labels(data.whole, (self.table, column))
        if isinstance(item, ViewerValues):
            values = viewer.values(item.attribute)
            if values is None:
                return [] if see else [EVERY]
        else:
            values = (item,)
        codes = places_of(_as_array(values, labels), labels)
        return [int(code) for code in codes if code >= 0]

    def _tree_mask(self, data: ModelData, viewer: Viewer) -> Mask:
        """By keys: what is listed for a key holds for all beneath it, until another key is listed."""
        table, key = self.table, self.hierarchy.key or ""
        codes = codes_with_null(data, table, (table, key))[:-1]
        listed = np.full(len(codes) + 1, -1, dtype=np.int8)
        for see in (True, False):
            found = [path for entry in self.entries if entry.see == see for path in self._coded(data, entry, viewer)]
            listed[:-1][_matching([codes], found)] = see
        listed[-1] = self.unlisted
        above = parents_of(data, self.hierarchy)
        current = np.arange(len(codes))
        for _ in range(len(codes)):
            undecided = listed[current] < 0
            if not undecided.any():
                break
            current = np.where(undecided, above[current], current)
        return np.asarray(listed[current] == 1)


def parents_of(data: ModelData, hierarchy: Hierarchy) -> Array:
    """For each row of a parent hierarchy's table the row of its parent, -1 for a top; before base filters (3.5, 12.3). Shape (rows + 1,)."""
    key = ("parents", hierarchy.name)
    if key not in data.notes:
        data.notes[key] = match(data.stored(hierarchy.table, hierarchy.parent or ""), data.stored(hierarchy.table, hierarchy.key or ""))
    found: Array = data.notes[key]
    return found


def _as_array(values: Any, labels: Array) -> Array:
    result = np.empty(
        len(values), dtype=object if labels.dtype == object else DTYPES["number"] if any(isinstance(value, float) for value in values) else labels.dtype
    )
    result[:] = list(values)
    return result


def _matching(columns: list[Array], paths: list[tuple[int, ...]]) -> Mask:
    """The rows whose codes equal one of the paths."""
    rows = len(columns[0])
    result = np.zeros(rows, dtype=np.bool_)
    for pattern in {tuple(code == EVERY for code in path) for path in paths}:
        chosen = [path for path in paths if tuple(code == EVERY for code in path) == pattern]
        literal = [position for position, every in enumerate(pattern) if not every]
        if not literal:
            return np.ones(rows, dtype=np.bool_)
        sizes = {position: max(int(columns[position].max(initial=0)), *(path[position] for path in chosen)) + 2 for position in literal}
        if float(np.prod([float(size) for size in sizes.values()])) > _MOST_COMBINATIONS:
            for path in chosen:
                result |= np.logical_and.reduce([columns[position] == path[position] for position in literal])
            continue
        numbers, wanted = np.zeros(rows, dtype=np.int64), np.zeros(len(chosen), dtype=np.int64)
        for position, size in sizes.items():
            numbers = numbers * size + columns[position] + 1
            wanted = wanted * size + np.array([path[position] for path in chosen]) + 1
        result |= np.isin(numbers, wanted)
    return result
