"""Other doors: the same thing by another name (docs/testing.md, Probe)."""

import re
from collections.abc import Iterator
from itertools import combinations

import numpy as np

from moorland.core.bundle.pages import Exhibit
from moorland.core.engine.asked import Asked, granting_measure
from moorland.core.engine.cells import plain_values
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.grouping import codes_with_null, group_labels
from moorland.core.engine.masking import CLEAR
from moorland.core.engine.questions import Question, Refusal, RowsQuestion, TotalsAnswer, TotalsQuestion
from moorland.core.engine.table_view import visible_table
from moorland.core.engine.visible import ViewerModel
from moorland.core.insight.exhibits import exhibit_question
from moorland.core.insight.probe.equations import MOST_COLUMNS
from moorland.core.insight.probe.shapes import Find, FoundSubject
from moorland.core.insight.promises import shown_values
from moorland.core.language import tree
from moorland.core.language.derived import ColumnKey
from moorland.core.language.measures import CheckedMeasure
from moorland.core.language.vectors import Array, Mask
from moorland.core.people import Viewer
from moorland.core.price import step

#: A column is taken for a copy of another where so many values, and different ones, agree.
LEAST_ALIKE = 3
#: Texts are looked for in titles where they have so many signs; of a column with more values none is looked for.
LEAST_SIGNS = 3
MOST_VALUES = 2_000
#: So many examples of one door are told.
MOST_TOLD = 5
#: Rows are told apart by at most three of so many columns.
MOST_TELLING = 6


def doors(evaluator: Evaluator, viewer: Viewer, model: ViewerModel) -> Iterator[Find]:
    """What is withheld from a viewer in one place and open in another: copies of columns, measures, titles, rows listed by grouping."""
    looking = _Doors(evaluator, viewer, model)
    yield from looking.copies()
    yield from looking.second_facts()
    yield from looking.measures()
    yield from looking.titles()
    yield from looking.listed_by_grouping()


class _Doors:
    def __init__(self, evaluator: Evaluator, viewer: Viewer, model: ViewerModel) -> None:
        self.evaluator, self.viewer, self.model = evaluator, viewer, model
        self.data, self.schema = model.data, model.data.schema
        self.name = self.schema.model.name
        self.clear: dict[ColumnKey, Mask] = {}
        for table in sorted(model.objects.tables):
            step()
            view = visible_table(model, table)
            rows = np.arange(self.data.rows(table))
            for column in self.schema.tables[table].columns:
                self.clear[table, column.name] = np.asarray(view.states_in((table, column.name), rows) == CLEAR)

    def find(self, subject: FoundSubject, question: Question | None, arithmetic: str) -> Find:
        return Find(kind="door", model=self.name, subject=subject, by=[question] if question is not None else [], arithmetic=arithmetic)

    def withheld(self) -> Iterator[tuple[ColumnKey, Mask]]:
        """The columns that are masked for the viewer, or do not exist for them, and the rows in which a cell is withheld.

        Of a table that does not exist for them, without its keys and references: those are what it is joined by.
        """
        for table in sorted(self.model.objects.tables):
            view = visible_table(self.model, table)
            for column in self.schema.tables[table].columns:
                key = (table, column.name)
                covered = view.rows & ~self.clear[key]
                if covered.any() and not self.schema.columns[key].quarantine:
                    yield key, covered
        hidden = (name for name in sorted(self.schema.tables) if name not in self.model.objects.tables and self.schema.tables[name].alias_of is None)
        for table in hidden:
            joined = {self.schema.tables[table].key, *(step.column for step in self.schema.parents[table])}
            for column in self.schema.tables[table].columns:
                if column.name not in joined and not column.quarantine:
                    yield (table, column.name), np.ones(self.data.rows(table), np.bool_)

    def copies(self) -> Iterator[Find]:
        """Columns with the same values as a withheld one: of its table, of its lookups, and of tables that refer to the same rows."""
        for key, covered in self.withheld():
            step()
            labels, codes = self._values(key)
            rows = np.flatnonzero(covered & (codes >= 0))
            if _distinct(codes[rows]) < LEAST_ALIKE:
                continue
            wanted = labels[codes[rows]]
            for other in sorted(self.clear):
                if other == key or self.schema.columns[other].type != self.schema.columns[key].type or not self.clear[other].any():
                    continue
                found = self._same(key, rows, wanted, other)
                if found is None:
                    continue
                table, open_rows = found
                text = f"{'.'.join(other)} shows the same values as {'.'.join(key)} in {open_rows:,} of its {len(rows):,} covered rows"
                asked = Question(rows=RowsQuestion(model=self.name, table=table, columns=[".".join(other)]))
                yield self.find(FoundSubject(column=".".join(key), where=f"the rows in which {'.'.join(other)} is clear"), asked, text)

    def second_facts(self) -> Iterator[Find]:
        """Numbers of rows that are hidden, which another table shows for the same things: one that refers to those rows, or both to one and the same."""
        for table in sorted(self.model.objects.tables):
            step()
            left = self.model.left_by_filters(table)
            hidden = ~visible_table(self.model, table).rows & (True if left is None else left)
            joined = {self.schema.tables[table].key, *(step_.column for step_ in self.schema.parents[table])}
            numbers = [column for column in self.schema.tables[table].columns if column.type in ("integer", "number") and column.name not in joined]
            for column in numbers if hidden.any() else ():
                key = (table, column.name)
                labels, codes = self._values(key)
                rows = np.flatnonzero(hidden & (codes >= 0))
                others = (other for other in sorted(self.clear) if other[0] != table and not self.schema.reaches(table, other[0]) and self.clear[other].any())
                for other in others if _distinct(codes[rows]) >= LEAST_ALIKE else ():
                    same_type = self.schema.columns[other].type == column.type
                    found = self._same(key, rows, labels[codes[rows]], other) if same_type else None
                    if found is not None:
                        text = f"{'.'.join(other)} shows {'.'.join(key)} of {found[1]:,} rows of {table} that are hidden"
                        asked = Question(rows=RowsQuestion(model=self.name, table=found[0], columns=[".".join(other)]))
                        yield self.find(FoundSubject(column=".".join(key), where=f"hidden rows of {table}"), asked, text)

    def _same(self, key: ColumnKey, rows: Array, wanted: Array, other: ColumnKey) -> tuple[str, int] | None:
        """Whether another column shows the values of some rows of the withheld one's table; where to ask, and in how many rows it does."""
        table = key[0]
        if other[0] == table or self.schema.reaches(table, other[0]):
            at = rows if other[0] == table else np.asarray(self.data.path(table, other[0])[:-1])[rows]
            return self._agrees(other, at, wanted)
        if self.schema.reaches(other[0], table):
            back = np.asarray(self.data.path(other[0], table)[:-1])
            return self._agrees(other, _first_of(back, self.data.rows(table))[rows], wanted)
        for middle in sorted(set(self.schema.paths[table]) & set(self.schema.paths[other[0]])):
            own, theirs = np.asarray(self.data.path(table, middle)[:-1]), np.asarray(self.data.path(other[0], middle)[:-1])
            if not (_refers_once(own) and _refers_once(theirs)):
                continue
            first = _first_of(theirs, self.data.rows(middle))
            found = self._agrees(other, np.where(own[rows] >= 0, first[own[rows]], -1), wanted)
            if found is not None:
                return found
        return None

    def _agrees(self, other: ColumnKey, at: Array, wanted: Array) -> tuple[str, int] | None:
        """Whether the other column, where it is clear, has just the values wanted; and where that is enough to be no accident."""
        labels, codes = self._values(other)
        open_ = (at >= 0) & self.clear[other][at] & (codes[at] >= 0)
        if not open_.any():
            return None
        theirs = labels[codes[at[open_]]]
        same = theirs == wanted[open_]
        if not bool(np.all(same)) or len(set(plain_values(theirs))) < LEAST_ALIKE:
            return None
        return other[0], int(open_.sum())

    def measures(self) -> Iterator[Find]:
        """Measures the viewer does not have whose expression another has."""
        compiled = self.evaluator.models[self.name].measures
        visible = {tree.bare(compiled[name].tree): name for name in sorted(self.model.objects.measures) if name in compiled}
        for name in sorted(compiled):
            other = visible.get(tree.bare(compiled[name].tree))
            if name not in self.model.objects.measures and other is not None and granting_measure(self.model, compiled[other], Asked((), None)):
                asked = Question(totals=TotalsQuestion(model=self.name, measures=[other]))
                yield self.find(FoundSubject(measure=name, where="everywhere"), asked, f"{other} is the same measure as {name}, which is hidden")

    def titles(self) -> Iterator[Find]:
        """Titles and filters of pages the viewer may open that name a text withheld from them."""
        texts = [(page.title, "its title", page.title) for page in self.evaluator.bundle.pages if self._opens(page.name)]
        for page in self.evaluator.bundle.pages:
            if self._opens(page.name):
                shown = [item for item in page.exhibits if self._available(page.model or self.name, item)]
                texts += [(page.title, "the title of an exhibit", item.title) for item in shown]
                texts += [(page.title, "the filter of an exhibit", item.where) for item in shown if item.where]
                texts += [(page.title, "what is said about it", page.about)] if page.about else []
        for key, hidden in self._hidden_texts():
            pattern = [(value, re.compile(rf"(?<!\w){re.escape(value)}(?!\w)")) for value in hidden]
            told = 0
            for value, looked_for in pattern:
                place = next(((page, where) for page, where, text in texts if looked_for.search(text)), None)
                if place is not None and told < MOST_TOLD:
                    told += 1
                    subject = FoundSubject(column=".".join(key), where=f"{'.'.join(key)} has the value {value}")
                    yield self.find(subject, None, f"the page {place[0]} names {value} in {place[1]}")

    def _available(self, model: str, exhibit: Exhibit) -> bool:
        """Whether an exhibit is available to the viewer: its title and filter are sent then (10.3)."""
        answer = self.evaluator.answer(self.viewer, exhibit_question(model, exhibit))
        return not isinstance(answer, Refusal) and not (isinstance(answer, TotalsAnswer) and len(answer.not_found) == len(answer.measures))

    def _opens(self, page: str) -> bool:
        return self.evaluator.may_open(self.viewer, page)

    def _hidden_texts(self) -> Iterator[tuple[ColumnKey, list[str]]]:
        """Texts of columns that the viewer is not shown anywhere."""
        shown: set[str] = set()
        candidates: list[tuple[ColumnKey, list[str]]] = []
        for key, column in self.schema.columns.items():
            if column.type != "text" or self.schema.tables[key[0]].alias_of is not None:
                continue
            labels, _ = group_labels(self.data, key)
            shown.update(str(value) for value in shown_values(self.model, key, self.evaluator.secret))
            if len(labels) <= MOST_VALUES:
                candidates.append((key, [value for value in plain_values(labels) if len(value) >= LEAST_SIGNS]))
        for key, values in candidates:
            hidden = [value for value in values if value not in shown]
            if hidden:
                yield key, hidden

    def listed_by_grouping(self) -> Iterator[Find]:
        """Tables whose rows no role lists, though totals by few columns the viewer has give a line for each row."""
        for table in sorted(self.model.objects.tables):
            visible = visible_table(self.model, table).rows
            if self.model.listing(table) or not visible.any():
                continue
            for measure in self.evaluator.models[self.name].measures.values():
                by = self._telling_rows_apart(table, visible, measure) if measure.table == table and measure.name in self.model.objects.measures else None
                if by is not None:
                    names = [".".join(key) for key in by]
                    asked = Question(totals=TotalsQuestion(model=self.name, by=names, measures=[measure.name]))
                    text = f"{measure.name} by {', '.join(names)} has a line for each of the {int(visible.sum()):,} rows, which no role lists"
                    yield self.find(FoundSubject(measure=measure.name, where=f"the rows of {table}"), asked, text)
                    break

    def _telling_rows_apart(self, table: str, visible: Mask, measure: CheckedMeasure) -> tuple[ColumnKey, ...] | None:
        """At most three columns by which the measure may be asked and no two rows are alike; None where there are none among the most telling."""
        rows = np.flatnonzero(visible)
        telling: list[tuple[int, ColumnKey, Array]] = []
        for key in self.clear:
            if self.schema.reaches(table, key[0]) and granting_measure(self.model, measure, Asked((key,), None)) and not self.model.masks_any([key]):
                codes = codes_with_null(self.data, table, key)[:-1][rows].astype(np.int64)
                telling.append((-len(np.unique(codes)), key, codes - codes.min(initial=0)))
        telling.sort(key=lambda item: item[:2])
        for size in range(1, MOST_COLUMNS + 1):
            for chosen in combinations(telling[:MOST_TELLING], size):
                by = tuple(key for _, key, _ in chosen)
                combined = np.stack([codes for _, _, codes in chosen])
                if len(np.unique(combined, axis=1)[0]) == len(rows) and granting_measure(self.model, measure, Asked(by, None)):
                    return by
        return None

    def _values(self, key: ColumnKey) -> tuple[Array, Array]:
        """The distinct values of a column, and the place among them of each row's; -1 where it is null."""
        labels, _ = group_labels(self.data, key)
        codes = codes_with_null(self.data, key[0], key)[:-1].astype(np.int64)
        return labels, np.where((codes < 0) | (codes >= len(labels)), -1, codes)


def _first_of(references: Array, size: int) -> Array:
    """For each row of a lookup a row that refers to it; -1 where none does."""
    result = np.full(size, -1, np.int64)
    inside = np.flatnonzero(references >= 0)
    result[references[inside][::-1]] = inside[::-1]
    return result


def _refers_once(references: Array) -> bool:
    """Whether no two rows refer to the same one; -1 refers to none."""
    return int(np.bincount(references[references >= 0]).max(initial=0)) <= 1


def _distinct(codes: Array) -> int:
    """How many codes there are, none of them negative."""
    return int(np.count_nonzero(np.bincount(codes)))
