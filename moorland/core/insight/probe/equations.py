"""Equations over what a viewer does not know: every line of every question, each a sum over some unknown rows (docs/testing.md, Probe).

A filter by a column that is not masked gives the lines that grouping by it gives; so a question by three columns and a filter is looked
at as one by four columns. Only where cells can be withheld and rows lifted at once do subtotals and totals tell more than lines do.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import combinations, permutations

import numpy as np
import scipy.sparse

from moorland.core.engine.grouping import codes_with_null
from moorland.core.insight.probe.quantities import Asking, Rows, Told
from moorland.core.language.derived import ColumnKey
from moorland.core.language.vectors import Array, Mask
from moorland.core.price import step

#: Questions have up to so many columns, and one filter.
MOST_COLUMNS = 3
#: So many unknown rows, terms of equations, and rows looked at in all questions there may be at most.
MOST_UNKNOWNS = 200_000
MOST_TERMS = 4_000_000
MOST_ROWS_LOOKED_AT = 400_000_000
#: So many questions by masked columns are counted one by one.
MOST_COUNTED = 20_000


@dataclass(frozen=True)
class Line:
    """A line of a question about a measure: by which columns down to which depth, filtered by which, with subtotals or not; `row` stands in it."""

    told: Told
    by: tuple[ColumnKey, ...]
    depth: int
    filtered: ColumnKey | None
    subtotals: bool
    row: int


@dataclass
class Equations:
    """Unknowns whose sum a line tells: `lines[i]` is a line that gives the sum over `terms[i]`, numbers of unknowns, each as often as it enters, sorted.

    `prints[i]` is a number for the set: sums and differences of sets are those of their numbers, modulo 2^64.
    """

    asking: Asking
    lines: list[Line] = field(default_factory=list)
    terms: list[Array] = field(default_factory=list)
    prints: list[int] = field(default_factory=list)
    questions: int = 0
    left_out: list[str] = field(default_factory=list)

    def __post_init__(self) -> None:
        self._known: dict[int, int] = {}
        self._marks = np.zeros(0, np.uint64)
        self._random = np.random.default_rng(20261129)

    def fingerprint(self, rows: Array) -> int:
        """A number for a set of unknown rows; sums and differences of disjoint sets are those of their numbers, modulo 2^64."""
        return int(self.marks(len(self.asking.unknown_rows))[rows].sum(dtype=np.uint64))

    def marks(self, size: int) -> Array:
        """A random number for each unknown row; shape (size,), uint64."""
        if len(self._marks) < size:
            more = self._random.integers(0, 2**64, size=size - len(self._marks) + 1024, dtype=np.uint64)
            self._marks = np.concatenate([self._marks, more])
        return self._marks[:size]

    def place(self, fingerprint: int) -> int | None:
        """The equation over a set of rows with this number; None where no line tells it."""
        return self._known.get(fingerprint)

    def add(self, lines: Sequence[Line], numbers: Array, starts: Array) -> None:
        """Takes in the lines of one question: the unknown rows of all, line by line, and where each line starts."""
        if not len(numbers):
            return
        prints = np.add.reduceat(self.marks(int(numbers.max()) + 1)[numbers], starts)
        ends = np.append(starts[1:], len(numbers))
        for line, print_, start, end in zip(lines, prints.tolist(), starts.tolist(), ends.tolist(), strict=True):
            if print_ not in self._known:
                self._known[print_] = len(self.lines)
                self.lines.append(line)
                self.prints.append(print_)
                self.terms.append(np.sort(numbers[start:end]))


def equations_of(asking: Asking) -> Equations:
    """Every equation the viewer can have about a quantity, as far as the bounds reach; what was left out is said."""
    found = Equations(asking)
    if not asking.can_tell:
        return found
    interplay = bool(asking.whole_rules) and bool(asking.full_columns)
    for told in asking.quantity.told:
        _Lines(found, told, interplay).all()
    return found


class _Lines:
    def __init__(self, found: Equations, told: Told, interplay: bool) -> None:
        self.found, self.told, self.interplay = found, told, interplay
        self.asking = found.asking
        self._codes: dict[ColumnKey, Array] = {}
        self._looked_at, self._terms = 0, 0
        self._spent: set[frozenset[ColumnKey]] = set()

    def all(self) -> None:
        """The lines of every question, by few columns first."""
        asking = self.asking
        asking.rows_for(self.told, (), 0)
        if len(asking.unknown_rows) > MOST_UNKNOWNS:
            self._leave(f"{self.told.measure.name}: {len(asking.unknown_rows):,} unknowns, and at most {MOST_UNKNOWNS:,} are looked at")
            return
        columns = self._different(asking.columns)
        plain = [key for key in columns if not asking.masked(key)]
        for size in range(MOST_COLUMNS + 2):
            for chosen in combinations(columns, size):
                if self._too_much(size):
                    return
                if size <= MOST_COLUMNS:
                    self._question(chosen, None)
                elif any(key in plain for key in chosen):
                    last = next(key for key in reversed(chosen) if key in plain)
                    self._question(tuple(key for key in chosen if key != last), last)
                for key in chosen if size <= MOST_COLUMNS else ():
                    if asking.masked(key):
                        self._question(tuple(other for other in chosen if other != key), key)

    def _different(self, columns: Sequence[ColumnKey]) -> list[ColumnKey]:
        """The columns that tell rows apart otherwise than those before them: of several that go together, the first."""
        found: dict[object, ColumnKey] = {}
        for key in columns:
            step()
            rows = self.asking.rows_for(self.told, (key,), 1)
            if rows is None:
                continue
            if self.asking.masked(key):
                found["masked", key] = key
                continue
            _, first, inverse = np.unique(self._code(key)[rows.rows], return_index=True, return_inverse=True)
            grants = tuple(grant.name for grant in self.asking.model.grants if key in grant.objects.columns)
            levels = len(rows.rows), int((rows.unknown >= 0).sum())
            found.setdefault((grants, levels, hash(first[inverse].tobytes())), key)
        return list(found.values())

    def _too_much(self, size: int) -> bool:
        left = "" if size == 0 else f" questions by {size} columns, a filter among them, were not all looked at"
        if len(self.asking.unknown_rows) > MOST_UNKNOWNS:
            self._leave(f"{self.told.measure.name}: more than {MOST_UNKNOWNS:,} unknowns;{left}")
        elif self._looked_at > MOST_ROWS_LOOKED_AT or self._terms > MOST_TERMS or self.asking.counted > MOST_COUNTED:
            self._leave(f"{self.told.measure.name}:{left}")
        else:
            return False
        return True

    def _leave(self, text: str) -> None:
        self.found.left_out.append(text)

    def _question(self, by: tuple[ColumnKey, ...], filtered: ColumnKey | None) -> None:
        """The lines of one question; with subtotals and totals where they tell more."""
        step()
        if self._is_spent(by, filtered):
            return
        if filtered is not None and self.asking.masked(filtered) and not self.interplay:
            self._level(by, len(by), filtered, None, subtotals=False)
        elif not self.interplay:
            self._level(by if filtered is None else (*by, filtered), len(by) + (filtered is not None), None, None, subtotals=False, written=(by, filtered))
        else:
            for order in permutations(by):
                for subtotals in (False, True) if len(by) > 1 else (False,):
                    depths = range(len(by), -1, -1) if subtotals else dict.fromkeys((len(by), 0))
                    dropped: set[int] = set()
                    for depth in depths:
                        self._level(order, depth, filtered, dropped, subtotals)
        self.found.questions += self._asked(filtered)

    def _asked(self, filtered: ColumnKey | None) -> int:
        """How many questions that is: one, or one for each value of a filter."""
        return 1 if filtered is None else len(np.unique(self._code(filtered)))

    def _level(
        self,
        by: tuple[ColumnKey, ...],
        depth: int,
        filtered: ColumnKey | None,
        dropped: set[int] | None,
        subtotals: bool,
        written: tuple[tuple[ColumnKey, ...], ColumnKey | None] | None = None,
    ) -> None:
        """The lines of one depth; with `dropped`, rows of lines withheld so far, which count no further and grow here (7.3)."""
        rows = self.asking.rows_for(self.told, by, depth, filtered)
        if rows is None or not len(rows.rows):
            return
        codes = self._combined(rows, by[:depth], filtered)
        if dropped:
            kept = ~np.isin(rows.rows, np.fromiter(dropped, np.int64))
        else:
            kept = np.ones(len(rows.rows), np.bool_)
        self._looked_at += len(rows.rows)
        withheld, line_of = _withheld(codes, rows.least, kept)
        if dropped is not None:
            dropped.update(rows.rows[withheld[line_of]].tolist())
        told = np.flatnonzero((rows.unknown >= 0) & kept & ~withheld[line_of])
        self._note_spent(by, filtered, rows, withheld[line_of])
        if not len(told):
            return
        order = told[np.argsort(line_of[told], kind="stable")]
        of = line_of[order]
        starts = np.flatnonzero(np.append(True, of[1:] != of[:-1]))
        asked_by, asked_filter = written if written is not None else (by, filtered)
        asked_depth = len(asked_by) if written is not None else depth
        lines = [Line(self.told, asked_by, asked_depth, asked_filter, subtotals, int(rows.rows[place])) for place in order[starts].tolist()]
        self._terms += len(order)
        self.found.add(lines, rows.unknown[order], starts)

    def _combined(self, rows: Rows, by: Sequence[ColumnKey], filtered: ColumnKey | None) -> Array:
        """The line of each counted row, as a number."""
        if rows.groups is not None:
            groups = rows.groups.astype(np.int64)
            if filtered is None:
                return groups
            _, groups = np.unique(groups, return_inverse=True)
            return groups * (int(self._code(filtered).max()) + 2) + self._code(filtered)[rows.rows] + 1
        result = np.zeros(len(rows.rows), np.int64)
        for key in [*([filtered] if filtered is not None else []), *by]:
            code = self._code(key)
            size = int(code.max(initial=0)) + 1
            if int(result.max(initial=0)) * size > 2**61:
                _, result = np.unique(result, return_inverse=True)
            result = result * size + code[rows.rows]
        return result

    def _code(self, key: ColumnKey) -> Array:
        """A number for each value of a column in the rows of the table, null among them."""
        if key not in self._codes:
            codes = codes_with_null(self.asking.data, self.asking.table, key)[:-1].astype(np.int64)
            self._codes[key] = codes - codes.min(initial=0)
        return self._codes[key]

    def _is_spent(self, by: tuple[ColumnKey, ...], filtered: ColumnKey | None) -> bool:
        """Whether fewer of these columns already gave no line with an unknown: more of them give none either."""
        names = frozenset((*by, *([filtered] if filtered is not None else [])))
        return any(names > other for other in self._spent) if self._spent else False

    def _note_spent(self, by: tuple[ColumnKey, ...], filtered: ColumnKey | None, rows: Rows, withheld: Mask) -> None:
        unknown = rows.unknown >= 0
        names = (*by, *([filtered] if filtered is not None else []))
        if self.asking.whole_rules or rows.groups is not None or len(self.asking.model.grants) > 1 or not unknown.any():
            return
        if withheld[unknown].all() and len(np.unique(rows.least[unknown])) == 1:
            self._spent.add(frozenset(names))


def _withheld(codes: Array, least: Array, kept: Mask) -> tuple[Mask, Array]:
    """The lines withheld (5.6, 7.3), and the line of each row; `kept` are rows no line withheld before."""
    _, line_of = np.unique(codes, return_inverse=True)
    size = int(line_of.max(initial=-1)) + 1
    count = np.bincount(line_of[kept], minlength=size)
    needed = np.zeros(size, np.int64)
    np.maximum.at(needed, line_of[kept], least[kept])
    before = np.bincount(line_of, minlength=size)
    return (count < needed) | ((before > 0) & (count == 0)), line_of


@dataclass(frozen=True)
class System:
    """Equations over classes of unknowns that no equation tells apart: `classes[j]` are those of the j-th, whose sum enters as `matrix[:, j]` says.

    Unknowns that stand in no equation are in no class.
    """

    equations: Equations
    classes: list[Array]
    matrix: scipy.sparse.csr_array

    def values(self) -> Array:
        """What the sum over each class is in truth."""
        asking = self.equations.asking
        rows = np.array(asking.unknown_rows, np.int64)
        return np.array([asking.values[rows[part]].sum() for part in self.classes])


def system_of(equations: Equations) -> System:
    """The equations with rows of equal coefficients put together."""
    size = len(equations.asking.unknown_rows)
    marks = np.random.default_rng(7).integers(1, 2**63, size=(len(equations.terms), 2), dtype=np.uint64)
    prints = np.zeros((size, 2), np.uint64)
    for number, terms in enumerate(equations.terms):
        np.add.at(prints, terms, marks[number])
    inside = np.flatnonzero(prints.any(axis=1))
    _, class_of = np.unique(prints[inside], axis=0, return_inverse=True)
    class_of = class_of.reshape(-1)
    order = np.argsort(class_of, kind="stable")
    parts = np.split(inside[order], np.flatnonzero(np.diff(class_of[order])) + 1) if len(inside) else []
    of_row = np.full(size, -1, np.int64)
    of_row[inside] = class_of
    sizes = np.array([len(part) for part in parts], np.int64)
    found = [np.unique(of_row[terms], return_counts=True) for terms in equations.terms]
    pointers = np.concatenate([[0], np.cumsum([len(indices) for indices, _ in found])]).astype(np.int64)
    flat = np.concatenate([indices for indices, _ in found]) if found else np.zeros(0, np.int64)
    often = np.concatenate([counts for _, counts in found]) if found else np.zeros(0, np.int64)
    matrix = scipy.sparse.csr_array(((often // sizes[flat]).astype(np.float64), flat, pointers), shape=(len(found), len(parts)))
    return System(equations, list(parts), matrix)


def rows_of(asking: Asking, line: Line) -> tuple[Array, Array]:
    """The rows that count in a line, those of lines withheld before it left out, and of each the number of its unknown (-1: known)."""
    looking = _Lines(Equations(asking), line.told, False)
    by, filtered, depth = line.by, line.filtered, line.depth
    interplay = bool(asking.whole_rules) and bool(asking.full_columns)
    if filtered is not None and not interplay and not asking.masked(filtered):
        by, filtered, depth = (*by, filtered), None, len(by) + 1
    dropped: set[int] = set()
    if interplay:
        for before in range(len(by), depth, -1) if line.subtotals else ([len(by)] if depth < len(by) else []):
            looking._level(by, before, filtered, dropped, line.subtotals)
    rows = asking.rows_for(line.told, by, depth, filtered)
    assert rows is not None
    codes = looking._combined(rows, by[:depth], filtered)
    own = codes[np.searchsorted(rows.rows, line.row)]
    inside = (codes == own) & ~np.isin(rows.rows, np.fromiter(dropped, np.int64))
    return rows.rows[inside], rows.unknown[inside]
