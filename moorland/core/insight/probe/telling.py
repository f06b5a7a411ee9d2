"""The few questions and the arithmetic that give a find (docs/testing.md, Probe)."""

from collections.abc import Iterable
from fractions import Fraction
from typing import Any

import numpy as np

from moorland.core.bundle.pages import Made
from moorland.core.engine.questions import Question, TotalsAnswer, TotalsQuestion
from moorland.core.engine.table_view import visible_table
from moorland.core.insight.probe.equations import Equations, Line, System, rows_of
from moorland.core.insight.probe.quantities import Asking, named, true_cells
from moorland.core.language.derived import ColumnKey
from moorland.core.language.vectors import Array
from moorland.core.language.writing import column_text, literal_text

#: How the part of a line that the viewer is shown is called.
SHOWN = "what is shown"
#: So many questions stand beside a bound.
MOST_LINES = 12


class Telling:
    """Tells how a sum of unknowns follows from lines."""

    def __init__(self, asking: Asking, equations: Equations) -> None:
        self.asking, self.equations = asking, equations
        self._answers: dict[str, TotalsAnswer | None] = {}
        self._by_unknown: dict[int, list[int]] | None = None

    def short_way(self, unknowns: Array) -> list[tuple[int, Fraction]] | None:
        """One line that tells the sum over some unknowns, or two whose difference does; of several the plainest. None where there is neither."""
        wanted = self.equations.fingerprint(unknowns)
        place = self.equations.place(wanted)
        if place is not None:
            return [(place, Fraction(1))]
        best: tuple[int, int, int] | None = None
        for first in self._over(int(unknowns[0])):
            rest = (self.equations.prints[first] - wanted) % 2**64
            second = self.equations.place(rest)
            if second is not None:
                lines = self.equations.lines[first], self.equations.lines[second]
                cost = sum(len(line.by) + 2 * (line.filtered is not None) for line in lines)
                best = min(best or (cost, first, second), (cost, first, second))
        return None if best is None else [(best[1], Fraction(1)), (best[2], Fraction(-1))]

    def _over(self, unknown: int) -> list[int]:
        """The equations an unknown stands in."""
        if self._by_unknown is None:
            self._by_unknown = {}
            for place, terms in enumerate(self.equations.terms):
                for one in set(terms.tolist()):
                    self._by_unknown.setdefault(one, []).append(place)
        return self._by_unknown.get(unknown, [])

    def arithmetic(self, way: list[tuple[int, Fraction]], value: float) -> tuple[list[Question], str]:
        """The questions to ask, and how their answers give the value."""
        questions: list[Question] = []
        pieces: list[str] = []
        shown = Fraction(0)
        for place, factor in way:
            line = self.equations.lines[place]
            question = self.question(line)
            questions.append(question)
            answer = self._line(question, line)
            rows, unknown = rows_of(self.asking, line)
            count = int(self.asking.known_values[rows].sum())
            known = rows[(unknown < 0) & self.asking.known_values[rows]]
            if len(known):
                shown += factor * Fraction(float(self.asking.values[known].sum()))
                questions.append(self.question(line, shown=True))
            pieces.append(_signed(factor, _written(line, answer, count), first=not pieces))
        if abs(float(shown)) > 1e-9:
            pieces.append(f"{'−' if shown > 0 else '+'} {_number(abs(float(shown)))} ({SHOWN})")
        return _distinct(questions), f"{self._lines_named(way)}: {' '.join(pieces)} = {_number(value)}"

    def _lines_named(self, way: list[tuple[int, Fraction]]) -> str:
        """The lines a way adds up: by question, with the keys of each."""
        keys: dict[str, list[str]] = {}
        for place, _ in way:
            line = self.equations.lines[place]
            by = f" by {', '.join(named(line.by[: line.depth]))}" if line.depth else " in all"
            given = f" where {'.'.join(line.filtered)} is {_plain(self._value(line.filtered, line.row))}" if line.filtered is not None else ""
            keys.setdefault(f"{line.told.measure.name}{by}{given}", []).append(" › ".join(_plain(value) for value in self._key(line)))
        return "; ".join(asked + (f": {', '.join(own)}" if own != [""] else "") for asked, own in keys.items()).replace(": ", " for ")

    def lines_over(self, system: System, chosen: tuple[int, ...]) -> list[Question]:
        """Questions some of whose lines tell of unknowns, those of few unknowns first."""
        over = np.unique(system.matrix[:, list(chosen)].nonzero()[0])
        sizes = np.diff(system.matrix.indptr)[over]
        first = over[np.argsort(sizes, kind="stable")][:MOST_LINES]
        return _distinct(self.question(self.equations.lines[place]) for place in first.tolist())

    def question(self, line: Line, shown: bool = False) -> Question:
        """The question a line stands in; with `shown`, of what the viewer is shown alone: the measure written out counts no covered cell (5.6, 7.8)."""
        asking, schema = self.asking, self.asking.data.schema
        where = None
        if line.filtered is not None:
            value, text = self._value(line.filtered, line.row), column_text(*line.filtered)
            where = f"{text} IS NULL" if value is None else f"{text} = {literal_text(value, schema.columns[line.filtered].type)}"
        name = line.told.measure.name
        made = [Made(expression=schema.measures[name].expression, as_=SHOWN, table=asking.table)] if shown else []
        measures = [SHOWN] if shown else [name]
        asked = TotalsQuestion(model=schema.model.name, by=list(named(line.by)), measures=measures, where=where, subtotals=line.subtotals, made=made)
        return Question(totals=asked)

    def _line(self, question: Question, line: Line) -> Any:
        """What the line says."""
        asked = question.model_dump_json()
        if asked not in self._answers:
            answer = self.asking.evaluator.answer(self.asking.model.viewer, question)
            self._answers[asked] = answer if isinstance(answer, TotalsAnswer) else None
        found = self._answers[asked]
        if found is None:
            return None
        if line.depth == 0 and line.by:
            return found.total[0]
        key = self._key(line)
        depth = line.depth if line.depth < len(line.by) else None
        return next((item.values[0] for item in found.lines if item.key == key and item.depth == depth), None)

    def _key(self, line: Line) -> list[Any]:
        return [self._value(key, line.row) for key in line.by[: line.depth]]

    def _value(self, key: ColumnKey, row: int) -> Any:
        """What is shown of a column in a row of the table."""
        asking = self.asking
        if asking.masked(key) and asking.table in asking.model.objects.tables:
            return visible_table(asking.model, asking.table).shown(key, asking.evaluator.secret).values(np.array([row]))[0]
        return true_cells(asking.data, asking.table, key, np.array([row]))[0]


def _distinct(questions: Iterable[Question]) -> list[Question]:
    """The questions, each once, in their order."""
    return list({question.model_dump_json(): question for question in questions}.values())


def _written(line: Line, answer: Any, count: int) -> str:
    """The sum a line tells, written as it is worked out of the answer."""
    told = line.told
    text = _number(answer)
    if told.function == "AVG":
        inner = text if not told.shift else f"({text} {_plus(-told.shift)})"
        return f"{inner} × {count:,}" + ("" if told.scale == 1 else f" / {_number(told.scale)}")
    inner = text if not told.shift else f"({text} {_plus(-told.shift * count)})"
    return inner if told.scale == 1 else f"{inner} / {_number(told.scale)}"


def _plus(value: float) -> str:
    return f"+ {_number(value)}" if value >= 0 else f"− {_number(-value)}"


def _signed(factor: Fraction, text: str, first: bool) -> str:
    size = abs(factor)
    times = "" if size == 1 else f"{size} × "
    sign = ("−" if factor < 0 else "") if first else ("− " if factor < 0 else "+ ")
    return f"{sign}{times}{text}"


def _number(value: Any) -> str:
    return "nothing" if value is None else f"{value:,.12g}" if isinstance(value, int | float) else str(value)


def _plain(value: Any) -> str:
    return "blank" if value is None else str(value)
