"""Entitlement sentences: a table that says who may see what (semantics.md 5.3)."""

from collections.abc import Hashable
from dataclasses import dataclass
from typing import Any

import numpy as np

from moorland.core.bundle.policy import AttributeIs, BetweenColumns, EntitlementSentence, EverythingText
from moorland.core.bundle.structure import identity
from moorland.core.engine.grouping import codes_with_null, group_labels, places_of
from moorland.core.engine.model_data import ModelData, values_read
from moorland.core.language import tree
from moorland.core.language.derived import ColumnKey
from moorland.core.language.vectors import Array, Mask
from moorland.core.people import Viewer

#: Up to so many combinations of matched values are looked up in one dense array.
DENSE_CELLS = 1 << 22
_VIEWER_NAMES = {"login": "login", "email": "email", "organization": "organization", "group": "groups", "role": "roles"}


@dataclass(frozen=True)
class Boxes:
    """What entitlement lines open: for each line and pair the codes from `low` to before `high`, or `anything`. Shapes (lines, pairs)."""

    low: Array
    high: Array
    anything: Mask


@dataclass(frozen=True)
class EntitlementRule:
    """An entitlement sentence with its checked condition over `through`."""

    sentence: int
    text: str
    written: EntitlementSentence
    where: tree.Node | None

    @property
    def table(self) -> str:
        return self.written.table

    @property
    def reads(self) -> frozenset[ColumnKey]:
        return frozenset((self.table, column) for column in self.written.match)

    @property
    def person_name(self) -> str:
        """The name of `viewer.` whose values the person column is compared with."""
        person_is = self.written.person_is
        return person_is.attribute if isinstance(person_is, AttributeIs) else _VIEWER_NAMES[person_is]

    @property
    def viewer_reads(self) -> frozenset[str]:
        read = tree.viewer_values_read(self.where) if self.where is not None else frozenset()
        return read | {self.person_name}

    def values(self, viewer: Viewer) -> Hashable:
        read = values_read(self.where, viewer.values) if self.where is not None else ()
        return (viewer.values(self.person_name), read)

    def mask(self, data: ModelData, viewer: Viewer) -> Mask:
        """The rows for which some line of the viewer matches in all pairs."""
        return self.opened(data, self.lines(data.whole, viewer))

    def opened(self, data: ModelData, lines: Array) -> Mask:
        """The rows that some of these lines of `through` match in all pairs."""
        codes, sizes = self._codes(data)
        return _inside(codes, sizes, data.rows(self.table), self.boxes(data, lines))

    def rows_opened(self, data: ModelData, lines: Array) -> list[int]:
        """How many rows each of these lines of `through` matches; rows alike in the matched columns are looked at once."""
        codes, sizes = self._codes(data)
        alike, counts = np.unique(np.stack(codes, axis=1), axis=0, return_counts=True)
        parts = [alike[:, place] for place in range(len(codes))]
        return [int(counts[_inside(parts, sizes, len(counts), self.boxes(data, lines[place : place + 1]))].sum()) for place in range(len(lines))]

    def _codes(self, data: ModelData) -> tuple[list[Array], list[int]]:
        """The codes of the matched columns in each row of the table, and how many values each column has."""
        columns = [(self.table, column) for column in self.written.match]
        codes = [codes_with_null(data, self.table, key)[:-1] for key in columns]
        return codes, [len(group_labels(data, key)[0]) for key in columns]

    def lines(self, data: ModelData, viewer: Viewer) -> Array:
        """The rows of `through` that name the viewer: `where` is true, no base filter removes them, the person is one of the viewer's."""
        through = self.written.through
        wanted = viewer.values(self.person_name) or ()
        rows_of = _people_index(data, through, self.written.person)
        keys = {identity(value) if isinstance(value, str) else value for value in wanted} - {""}
        found = [rows_of[key] for key in keys if key in rows_of]
        lines = np.sort(np.concatenate(found)) if found else np.zeros(0, dtype=np.int64)
        base = data.base(through)
        if base is not None:
            lines = lines[base[lines]]
        if self.where is not None and len(lines):
            lines = lines[data.condition_mask(through, self.where, f"{self.text} where", viewer.values)[lines]]
        return lines

    def boxes(self, data: ModelData, lines: Array) -> Boxes:
        """What these lines open, cells with a separator written out as one line for each of their values."""
        sides = [self._pair(data, column, target, lines) for column, target in self.written.match.items()]
        owners = [side[0] for side in sides]
        order = np.arange(len(lines))
        picks = [order for _ in sides]
        line_of = order
        for index, owner in enumerate(owners):
            counts = np.bincount(owner, minlength=len(lines))
            starts = np.cumsum(counts) - counts
            repeat = counts[line_of]
            within = np.arange(repeat.sum()) - np.repeat(np.cumsum(repeat) - repeat, repeat)
            picks = [np.repeat(pick, repeat) for pick in picks]
            line_of = np.repeat(line_of, repeat)
            picks[index] = starts[line_of] + within
        columns = [[side[part][pick] for side, pick in zip(sides, picks, strict=True)] for part in (1, 2, 3)]
        low, high, anything = (np.stack(part, axis=1) if part else np.zeros((len(line_of), 0), dtype=np.int64) for part in columns)
        return Boxes(low, high, anything.astype(np.bool_))

    def _pair(self, data: ModelData, column: str, target: str | BetweenColumns, lines: Array) -> tuple[Array, Array, Array, Mask]:
        """For one pair the items of the lines' cells, in the order of lines: position of the line, codes from, to, and whether anything matches."""
        labels, _ = group_labels(data.whole, (self.table, column))
        whole = data.whole
        if isinstance(target, BetweenColumns):
            low, low_open, low_some = self._cells(whole, target.between[0], lines)
            high, high_open, high_some = self._cells(whole, target.between[1], lines)
            usable = (low_some | low_open) & (high_some | high_open)
            start = np.where(low_open, 0, _searched(labels, low, low_some, "left"))
            stop = np.where(high_open, len(labels), _searched(labels, high, high_some, "right"))
            positions = np.flatnonzero(usable)
            return positions, start[positions], stop[positions], (low_open & high_open)[positions]
        cells, opens, some = self._cells(whole, target, lines)
        positions = np.arange(len(lines))
        if self.written.separator is not None and cells.dtype == object:
            positions, cells, opens, some = self._split(cells, opens, some)
        place = np.full(len(cells), -1, dtype=np.int64)
        place[some] = places_of(cells[some], labels)
        kept = opens | (place >= 0)
        return positions[kept], place[kept], place[kept] + 1, opens[kept]

    def _cells(self, data: ModelData, column: str, lines: Array) -> tuple[Array, Mask, Mask]:
        """The cells of a column of `through` in some rows; where they open everything; where they hold a value."""
        stored = data.stored(self.written.through, column)
        index = stored.codes[lines] if stored.codes is not None else lines
        cells, known = stored.values[index], stored.known[index].copy()
        everything = self.written.everything
        if cells.dtype == object:
            known &= np.fromiter((bool(value.strip(" ")) for value in cells), np.bool_, len(cells))
        opens = np.zeros(len(cells), dtype=np.bool_)
        if everything == "blank":
            opens = ~known
        elif isinstance(everything, EverythingText) and cells.dtype == object:
            opens = known & np.fromiter((value == everything.text for value in cells), np.bool_, len(cells))
        return cells, opens, known & ~opens

    def _split(self, cells: Array, opens: Mask, some: Mask) -> tuple[Array, Array, Mask, Mask]:
        """Cells as lists: each item trimmed, empty ones left out; an item may be the word that opens everything."""
        word = self.written.everything.text if isinstance(self.written.everything, EverythingText) else None
        found: list[tuple[int, str, bool, bool]] = []
        for position, cell in enumerate(cells.tolist()):
            if opens[position]:
                found.append((position, "", True, False))
            elif some[position]:
                items = [item.strip(" ") for item in cell.split(self.written.separator)]
                found += [(position, item, item == word, item != word) for item in items if item]
        values = np.empty(len(found), dtype=object)
        values[:] = [item[1] for item in found]
        return (
            np.array([item[0] for item in found], dtype=np.int64),
            values,
            np.array([item[2] for item in found], dtype=np.bool_),
            np.array([item[3] for item in found], dtype=np.bool_),
        )


def _searched(labels: Array, values: Array, some: Mask, side: Any) -> Array:
    result = np.zeros(len(values), dtype=np.int64)
    result[some] = np.searchsorted(labels, values[some], side=side)
    return result


def _people_index(data: ModelData, through: str, person: str) -> dict[Any, Array]:
    """The rows of an entitlement table by whom they name, as identities; null and blank name nobody."""
    key = ("people", through, person)
    if key not in data.notes:
        labels, _ = group_labels(data, (through, person))
        codes = codes_with_null(data, through, (through, person))[:-1]
        names = [identity(value) if isinstance(value, str) else value for value in labels.tolist()]
        numbers = {name: index for index, name in enumerate(dict.fromkeys(names))}
        number_of = np.array([numbers[name] for name in names], dtype=np.int64)
        rows = np.flatnonzero(codes >= 0)
        number = number_of[codes[rows]] if len(rows) else rows
        order = np.argsort(number, kind="stable")
        pieces = np.split(rows[order], np.cumsum(np.bincount(number, minlength=len(numbers)))[:-1]) if len(numbers) else []
        data.notes[key] = {name: piece for name, piece in zip(numbers, pieces, strict=True) if name != ""}
    found: dict[Any, Array] = data.notes[key]
    return found


def _inside(codes: list[Array], sizes: list[int], rows: int, boxes: Boxes) -> Mask:
    """The rows whose codes lie in some box; null lies only where anything does. `codes` holds a column each, of shape (rows,)."""
    cells = int(np.prod([float(size + 1) for size in sizes]))
    if cells <= DENSE_CELLS:
        allowed = np.zeros([size + 1 for size in sizes], dtype=np.bool_)
        for low, high, anything in zip(boxes.low.tolist(), boxes.high.tolist(), boxes.anything.tolist(), strict=True):
            allowed[tuple(slice(None) if every else slice(first, last) for first, last, every in zip(low, high, anything, strict=True))] = True
        found: Mask = allowed[tuple(codes)] if codes else np.full(rows, len(boxes.low) > 0)
        return found
    result = np.zeros(rows, dtype=np.bool_)
    for low, high, anything in zip(boxes.low.tolist(), boxes.high.tolist(), boxes.anything.tolist(), strict=True):
        inside = np.ones(rows, dtype=np.bool_)
        for column, first, last, every in zip(codes, low, high, anything, strict=True):
            if not every:
                inside &= (column >= first) & (column < last)
        result |= inside
    return result
