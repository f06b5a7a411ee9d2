"""What equations over unknowns determine, exactly or nearly, and how to come to it (docs/testing.md, Probe)."""

from collections.abc import Iterator, Sequence
from functools import cached_property
from typing import Any

import numpy as np

from moorland.core.bundle.shape import Scalar
from moorland.core.engine.member_rules import MembersRule
from moorland.core.engine.table_view import visible_table
from moorland.core.insight.probe.elimination import MOST_CLASSES, PRIME, bounds, determined_sets, null_space, sketched, ways_to
from moorland.core.insight.probe.equations import Equations, System, system_of
from moorland.core.insight.probe.quantities import Asking, true_cells
from moorland.core.insight.probe.shapes import Find, FoundSubject
from moorland.core.insight.probe.telling import Telling
from moorland.core.language.vectors import Array
from moorland.core.language.writing import name_text, one_of_text
from moorland.core.price import step

#: Told nearly: an interval of at most this share of the true value.
NEAR = 0.1
#: So many unknowns are bounded, and so many finds told, for one quantity.
MOST_BOUNDED = 400
MOST_FINDS = 200


class Deducing:
    """One quantity of one viewer."""

    def __init__(self, equations: Equations) -> None:
        self.equations, self.asking = equations, equations.asking
        self.left_out: list[str] = []
        self.system: System = system_of(equations)
        if len(self.system.classes) > MOST_CLASSES:
            many = len(self.system.classes)
            self.left_out.append(f"{self.asking.quantity.told[0].measure.name}: {many:,} unknowns told apart, and at most {MOST_CLASSES:,} are solved for")
            self.system = self._fewer()
        self.values = self.system.values()
        self.telling = Telling(self.asking, equations)

    def _fewer(self) -> System:
        """The equations of questions by so few columns that what they tell apart can be solved for."""
        for most in (3, 2, 1, 0):
            kept = Equations(self.asking)
            for line, terms, print_ in zip(self.equations.lines, self.equations.terms, self.equations.prints, strict=True):
                if len(line.by) + (line.filtered is not None) <= most:
                    kept.lines.append(line)
                    kept.terms.append(terms)
                    kept.prints.append(print_)
            made = system_of(kept)
            if len(made.classes) <= MOST_CLASSES:
                self.equations = kept
                return made
        kept = Equations(self.asking)
        self.equations = kept
        return system_of(kept)

    def finds(self) -> Iterator[Find]:
        """Everything determined, then everything nearly so."""
        if not self.system.classes:
            return
        space, self.independent = null_space(self.system.matrix)
        self.sketch = sketched(space)
        told: list[Find] = []
        exact: set[int] = set()
        for chosen in self._exact():
            exact |= set(chosen) if len(chosen) == 1 else set()
            if len(told) == MOST_FINDS:
                self.left_out.append(f"more than {MOST_FINDS} finds for {self.asking.quantity.told[0].measure.name}: the others are not told")
                break
            find = self._told(chosen)
            if find is not None:
                told.append(find)
        yield from told
        yield from self._near(exact)

    def _exact(self) -> Iterator[tuple[int, ...]]:
        sizes, limits = self._sizes, self._limits
        cells = np.flatnonzero(~self._lifted)
        if len(cells):
            sets = determined_sets(self.sketch[cells], sizes[cells], limits[cells], self.left_out)
            yield from (tuple(int(cells[one]) for one in chosen) for chosen in sets)
        for member in self._members:
            yield from member.determined(self.sketch)

    def _told(self, chosen: tuple[int, ...]) -> Find | None:
        step()
        wanted = np.zeros(len(self.system.classes))
        wanted[list(chosen)] = 1
        unknowns = np.concatenate([self.system.classes[one] for one in chosen])
        way = self.telling.short_way(unknowns)
        if way is None:
            way = ways_to(self.system.matrix, wanted, self.independent)
        if way is None:
            return None
        value = float(self.values[list(chosen)].sum())
        by, arithmetic = self.telling.arithmetic(way, value)
        return Find(kind="exact", model=self._model, subject=self._subject(chosen), value=value, by=by, arithmetic=arithmetic)

    def _near(self, exact: set[int]) -> Iterator[Find]:
        """Sums that can be little else than they are, where nobody would expect a negative value."""
        if not (self.asking.nothing_negative or self.asking.quantity.counts):
            return
        told = self.system.matrix @ self.values
        eligible: list[tuple[int, ...]] = [(one,) for one in np.flatnonzero(~self._lifted & (self._sizes < self._limits)).tolist()]
        eligible += [member.classes for member in self._members if member.whole]
        open_ = [chosen for chosen in eligible if not self._is_determined(chosen) and self.values[list(chosen)].sum() > 0]
        if len(open_) > MOST_BOUNDED:
            self.left_out.append(f"of {len(open_):,} unknowns that are not determined {MOST_BOUNDED} were bounded")
        for chosen in open_[:MOST_BOUNDED]:
            step()
            wanted = np.zeros(len(self.system.classes))
            wanted[list(chosen)] = 1
            true = float(self.values[list(chosen)].sum())
            found = bounds(self.system.matrix, told, wanted, self.independent, true * (1 + NEAR) * (1 + 1e-9))
            if found is None or found[1] - found[0] > NEAR * abs(true) * (1 + 1e-9):
                continue
            low, high = min(found[0], true), max(found[1], true)
            lines = self.telling.lines_over(self.system, chosen)
            arithmetic = f"no value is negative, and these answers leave nothing beneath {low:,.10g} or above {high:,.10g}"
            yield Find(kind="near", model=self._model, subject=self._subject(chosen), low=low, high=high, by=lines, arithmetic=arithmetic)

    def _is_determined(self, chosen: Sequence[int]) -> bool:
        from_sum = self.sketch[list(chosen)].sum(axis=0)
        return not (from_sum % PRIME).any()

    @cached_property
    def _sizes(self) -> Array:
        return np.array([len(part) for part in self.system.classes], np.int64)

    @cached_property
    def _limits(self) -> Array:
        least = np.array(self.asking.least, np.int64)
        return np.array([least[part].max() for part in self.system.classes], np.int64)

    @cached_property
    def _lifted(self) -> Array:
        lifted = np.array(self.asking.lifted, np.bool_)
        return np.array([lifted[part].any() for part in self.system.classes], np.bool_)

    @property
    def _model(self) -> str:
        return self.asking.data.schema.model.name

    @cached_property
    def _members(self) -> list["Member"]:
        return list(members_of(self.asking, self.system))

    def _subject(self, chosen: Sequence[int]) -> FoundSubject:
        asking = self.asking
        unknowns = np.concatenate([self.system.classes[one] for one in chosen])
        column = asking.quantity.column
        cells = column is not None and not asking.lifted[int(unknowns[0])]
        named: dict[str, Any] = {"column": ".".join(column)} if cells and column is not None else {"measure": asking.quantity.told[0].measure.name}
        member = next((item for item in self._members if item.whole and set(item.classes) == set(chosen)), None)
        if member is not None:
            return FoundSubject(**named, member=member.path)
        table = column[0] if cells and column is not None else asking.table
        rows = np.array(asking.unknown_rows, np.int64)[unknowns]
        if table != asking.table:
            rows = np.asarray(asking.data.path(asking.table, table)[:-1])[rows]
        return FoundSubject(**named, **_rows_named(asking, table, np.sort(rows)))


def _rows_named(asking: Asking, table: str, rows: Array) -> dict[str, Any]:
    """One row by its key, or its number where there is none; several by a condition, or by their numbers."""
    key = asking.data.schema.tables[table].key
    if key is None:
        return {"row": int(rows[0])} if len(rows) == 1 else {"where": f"rows {', '.join(map(str, rows.tolist()))} of {table}"}
    values = true_cells(asking.data, table, (table, key), rows)
    if len(values) == 1:
        return {"row": values[0]}
    return {"where": one_of_text(name_text(key), values, asking.data.schema.columns[table, key].type)}


class Member:
    """A hidden member, and the unknowns that lie beneath it alone; `whole` where they are all of its rows that count."""

    def __init__(self, path: list[Scalar | None], classes: tuple[int, ...], whole: bool, coarsest: bool) -> None:
        self.path, self.classes, self.whole, self.coarsest = path, classes, whole, coarsest

    def determined(self, sketch: Array) -> Iterator[tuple[int, ...]]:
        """The member's own sum; where that is not determined, the smallest sums within it that are."""
        if self.whole and self.classes and not (sketch[list(self.classes)].sum(axis=0) % PRIME).any():
            yield self.classes
        elif self.coarsest and self.classes:
            many = np.full(len(self.classes), len(self.classes) + 1, np.int64)
            for chosen in determined_sets(sketch[list(self.classes)], np.ones(len(self.classes), np.int64), many, [], most=3):
                yield tuple(self.classes[one] for one in chosen)


def members_of(asking: Asking, system: System) -> Iterator[Member]:
    """The hidden members of hierarchies with whole totals beneath which unknown rows lie, coarse before fine; each set of rows once."""
    seen: set[tuple[int, ...]] = set()
    for rule in {rule.hierarchy.name: rule for rule in asking.whole_rules}.values():
        yield from _members_of(asking, system, rule, seen)


def _members_of(asking: Asking, system: System, rule: MembersRule, seen: set[tuple[int, ...]]) -> Iterator[Member]:
    data, owner, levels = asking.data, rule.table, rule.hierarchy.levels or []
    lifted = np.array(asking.lifted, np.bool_)
    rows = np.array(asking.unknown_rows, np.int64)
    if not lifted.any():
        return
    at = rows if owner == asking.table else np.asarray(data.path(asking.table, owner)[:-1])[rows]
    visible = visible_table(asking.model, owner).rows if owner in asking.model.objects.tables else np.zeros(data.rows(owner), np.bool_)
    paths = list(zip(*(true_cells(data, owner, (owner, level), np.arange(data.rows(owner))) for level in levels), strict=True))
    known = {path[:depth] for path, sees in zip(paths, visible.tolist(), strict=True) if sees for depth in range(len(levels) + 1)}
    inside = np.full(len(rows), -1, np.int64)
    for number, part in enumerate(system.classes):
        inside[part] = number
    beneath: dict[tuple[Scalar | None, ...], list[int]] = {}
    for unknown in np.flatnonzero(lifted & (at >= 0)).tolist():
        path = paths[int(at[unknown])]
        for depth in range(1, len(levels) + 1):
            if path[:depth] not in known:
                beneath.setdefault(path[:depth], []).append(unknown)
    for path, unknowns in sorted(beneath.items(), key=lambda item: (len(item[0]), str(item[0]))):
        own = set(unknowns)
        numbers = sorted({int(inside[unknown]) for unknown in unknowns if inside[unknown] >= 0})
        classes = tuple(number for number in numbers if own.issuperset(system.classes[number].tolist()))
        whole = all(inside[unknown] >= 0 for unknown in unknowns) and len(classes) == len(numbers)
        if classes and classes not in seen:
            seen.add(classes)
            yield Member(list(path), classes, whole, path[:-1] in known or len(path) == 1)
