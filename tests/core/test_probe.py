"""The probe against an attacker who asks every question and reckons in fractions (docs/testing.md, Probe)."""

import os
import random
from collections.abc import Iterator
from fractions import Fraction
from itertools import chain, combinations, permutations
from typing import Any

import numpy as np
import pytest
import scipy.optimize
from hypothesis import Phase, given, settings

from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Question, TotalsAnswer, TotalsQuestion
from moorland.core.insight.probe import equations
from moorland.core.insight.probe.closing import closings
from moorland.core.insight.probe.probing import probe
from moorland.core.insight.probe.shapes import Find
from tests.core.seeds import SEEDS
from tests.core.worlds import Tables, evaluator, model_document

COLUMNS = ("pay.grade", "pay.month", "unit.area", "unit.place", "pay.amount")
MEASURES = [
    {"name": "total", "table": "pay", "expression": "SUM(amount)"},
    {"name": "mean", "table": "pay", "expression": "AVG(amount)"},
    {"name": "payments", "table": "pay", "expression": "COUNT(*)"},
]


def world(seed: int, kind: str) -> Evaluator:
    """A few payments of a few units; every amount is a power of two, so that any sum tells which rows are in it."""
    rng = random.Random(seed)
    units = [(number, rng.choice(["fell", "marsh"]), rng.choice(["north", "south", "west"])) for number in range(rng.randint(2, 4))]
    pays = [
        (number, rng.choice([*range(len(units)), *range(len(units)), None]), rng.choice(["a", "b", None]), rng.randint(1, 2), float(2**number))
        for number in range(rng.randint(5, 9))
    ]
    tables: Tables = {
        "unit": ("id", {"id": "integer", "area": "text", "place": "text"}, units),
        "pay": ("id", {"id": "integer", "unit_id": "integer", "grade": "text", "month": "integer", "amount": "number"}, pays),
    }
    hierarchy = {"name": "places", "table": "unit", "levels": ["area", "place"]}
    hidden = [{"objects": {"hide": ["column:pay.id", "column:pay.unit_id", "column:unit.id"]}}]
    mask = {"column": "pay.amount", "with": "withhold", "in_totals": {"full": {"at_least": rng.randint(1, 3)}}}
    when = rng.choice([None, "grade = 'a'", "month = 1", "grade IS NULL"])
    listed = [{"path": [area, place], "see": True} for _, area, place in units if rng.random() < 0.5]
    members = {"hierarchy": "places", "list": listed, "totals": "whole"}
    sentences: list[dict[str, Any]] = []
    if kind in ("full", "both"):
        sentences.append({"mask": {**mask, **({"when": when} if when else {})}})
    if kind in ("whole", "both"):
        sentences.append({"members": members})
    if kind == "neither":
        sentences += [{"mask": {"column": "pay.amount", "with": "withhold"}}, {"members": {**members, "totals": "own"}}]
    roles = [{"name": "r", "kind": "grant", "model": "farm", "sentences": [*hidden, *sentences], "assigned": [{"everyone": True}]}]
    model = model_document(tables, [{"from": "pay.unit_id", "to": "unit.id"}], hierarchies=[hierarchy], measures=MEASURES)
    return evaluator({"users": [{"login": "ann", "name": "Ann"}], "models": [model], "roles": roles}, tables)


class Attacker:
    """Asks every question by up to three columns and a filter; knows nothing of how the probe works."""

    def __init__(self, base: Evaluator, orders: bool) -> None:
        self.base, self.viewer = base, base.viewer("ann")
        data = base.data("farm")
        self.rows = data.rows("pay")
        self.told: set[frozenset[int]] = set()
        self.asked = {column: self._values(column) for column in COLUMNS}
        self.counts: dict[str, float | None] = {}
        choose = permutations if orders else combinations
        for by in chain.from_iterable(choose(COLUMNS, size) for size in range(4)):
            for where in self._filters(by):
                for subtotals in (False, True) if len(by) > 1 else (False,):
                    self._ask(list(by), where, subtotals)
        self.shown = self._shown()
        self.unknown = sorted(set().union(*self.told) - self.shown) if self.told else []

    def _values(self, column: str) -> list[Any]:
        answer = self.base.answer(self.viewer, Question(totals=TotalsQuestion(model="farm", by=[column], measures=["payments"])))
        assert isinstance(answer, TotalsAnswer)
        return [line.key[0] for line in answer.lines]

    def _filters(self, by: tuple[str, ...]) -> Iterator[str | None]:
        yield None
        for column in COLUMNS:
            if column not in by:
                for value in self.asked[column]:
                    yield f"{column} IS NULL" if value is None else f"{column} = {value!r}"

    def _ask(self, by: list[str], where: str | None, subtotals: bool) -> None:
        question = TotalsQuestion(model="farm", by=by, measures=["total"], where=where, subtotals=subtotals)
        answer = self.base.answer(self.viewer, Question(totals=question))
        assert isinstance(answer, TotalsAnswer)
        for value in [*(line.values[0] for line in answer.lines), answer.total[0]]:
            if value is not None:
                self.told.add(frozenset(number for number in range(self.rows) if int(value) >> number & 1))

    def _shown(self) -> set[int]:
        """The rows whose amount the viewer is shown."""
        answer = self.base.answer(self.viewer, Question.model_validate({"rows": {"model": "farm", "table": "pay", "columns": ["amount"]}}))
        return {int(row[0]).bit_length() - 1 for row in answer.rows if row[0] is not None}  # type: ignore[union-attr]

    @property
    def equations(self) -> list[list[Fraction]]:
        return [[Fraction(int(row in line)) for row in self.unknown] for line in self.told if line & set(self.unknown)]

    def determined(self, wanted: frozenset[int]) -> bool:
        vector = [Fraction(int(row in wanted)) for row in self.unknown]
        return _rank([*self.equations, vector]) == _rank(self.equations)

    def smallest(self, within: list[int], fewer_than: int) -> set[frozenset[int]]:
        """The smallest sets of some rows whose sum is determined, of fewer than so many."""
        found: set[frozenset[int]] = set()
        for size in range(1, min(fewer_than, len(within) + 1)):
            for chosen in map(frozenset, combinations(within, size)):
                if not any(part < chosen for part in found) and self.determined(chosen):
                    found.add(chosen)
        return found

    def interval(self, wanted: frozenset[int]) -> tuple[float, float] | None:
        matrix = np.array(self.equations, dtype=np.float64)
        right = matrix @ np.array([2.0**row for row in self.unknown])
        goal = np.array([float(row in wanted) for row in self.unknown])
        ends = [scipy.optimize.linprog(sign * goal, A_eq=matrix, b_eq=right, bounds=(0, None)) for sign in (1, -1)]
        return None if any(end.status for end in ends) else (ends[0].fun, -ends[1].fun)


def _rank(rows: list[list[Fraction]]) -> int:
    table = [list(row) for row in rows]
    rank = 0
    for column in range(len(table[0]) if table else 0):
        pivot = next((number for number in range(rank, len(table)) if table[number][column]), None)
        if pivot is None:
            continue
        table[rank], table[pivot] = table[pivot], table[rank]
        for number in range(rank + 1, len(table)):
            if table[number][column]:
                factor = table[number][column] / table[rank][column]
                table[number] = [value - factor * own for value, own in zip(table[number], table[rank], strict=True)]
        rank += 1
    return rank


def rows_of(find: Find) -> frozenset[int]:
    """The rows a find is about; all amounts are powers of two."""
    value = find.value if find.value is not None else find.high
    return frozenset(number for number in range(20) if int(value or 0) >> number & 1)


def least_of(base: Evaluator) -> int:
    mask = next(sentence.mask for sentence in base.bundle.roles[0].sentences if sentence.mask)
    return mask.in_totals.full.at_least  # type: ignore[union-attr]


def about_amounts(base: Evaluator, kind: str) -> list[Find]:
    found = probe(base, base.viewer("ann")).found
    return [find for find in found if find.kind == kind and "payments" not in (find.subject.measure or "")]


@settings(max_examples=int(os.environ.get("EXAMPLES", "2")), deadline=None, phases=[Phase.explicit, Phase.reuse, Phase.generate])
@given(seed=SEEDS)
def test_cells_masked_with_full_are_found_just_where_an_attacker_finds_them(seed: int) -> None:
    base = world(seed, "full")
    attacker = Attacker(base, orders=False)
    least = least_of(base)
    assert {rows_of(find) for find in about_amounts(base, "exact")} == attacker.smallest(attacker.unknown, least)
    columns = {row: tuple(row in line for line in sorted(attacker.told, key=sorted)) for row in attacker.unknown}
    classes = {frozenset(other for other in columns if columns[other] == columns[row]) for row in columns}
    near = set()
    for wanted in (item for item in classes if len(item) < least and not attacker.determined(item)):
        ends, true = attacker.interval(wanted), float(sum(2**row for row in wanted))
        if ends is not None and ends[1] - ends[0] <= 0.1 * true:
            near.add(wanted)
    assert len(about_amounts(base, "near")) == len(near)


@pytest.mark.parametrize("kind", ["whole", "both"])
@settings(max_examples=int(os.environ.get("EXAMPLES", "2")), deadline=None, phases=[Phase.explicit, Phase.reuse, Phase.generate])
@given(seed=SEEDS)
def test_members_that_whole_totals_give_away_are_those_an_attacker_finds(seed: int, kind: str) -> None:
    base = world(seed, kind)
    attacker = Attacker(base, orders=kind == "both")
    data = base.data("farm")
    units = [
        (str(area), str(place))
        for area, place in zip(*(data.stored("unit", name).values[data.stored("unit", name).codes[:-1]] for name in ("area", "place")), strict=True)
    ]  # type: ignore[index]
    listed = {tuple(entry.path) for sentence in base.bundle.roles[0].sentences if sentence.members for entry in sentence.members.list}
    known = {path[:depth] for path in units if path in listed for depth in (1, 2)}
    unit_of = data.path("pay", "unit")[:-1].tolist()
    beneath: dict[tuple[str, ...], frozenset[int]] = {}
    for depth in (1, 2):
        for path in {unit[:depth] for unit in units} - known:
            rows = frozenset(row for row in range(attacker.rows) if unit_of[row] >= 0 and units[unit_of[row]][:depth] == path)
            if rows and rows not in beneath.values():
                beneath[path] = rows
    expected = {path for path, rows in beneath.items() if rows <= set(attacker.unknown) and attacker.determined(rows)}
    told = {tuple(find.subject.member): rows_of(find) for find in about_amounts(base, "exact") if find.subject.member}
    assert told == {path: beneath[path] for path in expected}
    parts = {rows_of(find) for find in about_amounts(base, "exact") if find.subject.measure and not find.subject.member}
    coarsest = [rows for path, rows in beneath.items() if path not in expected and (len(path) == 1 or path[:1] in known)]
    wanted = set().union(*(attacker.smallest(sorted(rows & set(attacker.unknown)), 4) for rows in coarsest)) if coarsest else set()
    assert {rows for rows in parts if len(rows) < 4} == wanted


@settings(max_examples=int(os.environ.get("EXAMPLES", "2")), deadline=None, phases=[Phase.explicit, Phase.reuse, Phase.generate])
@given(seed=SEEDS)
def test_nothing_is_found_without_full_and_without_whole_totals(seed: int) -> None:
    found = probe(world(seed, "neither"), world(seed, "neither").viewer("ann")).found
    assert [find for find in found if find.kind != "door"] == []


@pytest.mark.parametrize("kind", ["full", "whole"])
@settings(max_examples=6, deadline=None)
@given(seed=SEEDS)
def test_every_find_holds_when_its_questions_are_asked_and_its_arithmetic_is_done(seed: int, kind: str) -> None:
    base = world(seed, kind)
    viewer = base.viewer("ann")
    for find in probe(base, viewer).found:
        if find.kind == "exact":
            assert find.value is not None
            reckoned = find.arithmetic.rpartition(":")[2].rpartition("=")[0]
            for sign, other in (("−", "-"), ("×", "*"), (",", ""), ("(what is shown)", "")):
                reckoned = reckoned.replace(sign, other)
            assert eval(reckoned, {}) == pytest.approx(find.value)
            assert all(isinstance(base.answer(viewer, question), TotalsAnswer) for question in find.by)


PAYROLL: Tables = {
    "person": ("id", {"id": "integer", "name": "text", "team": "text"}, [(1, "Una", "a"), (2, "Odd", "a"), (3, "Ivo", "b"), (4, "Eda", "b")]),
    "pay": ("person_id", {"person_id": "integer", "amount": "number", "wage": "number"}, [(1, 10.0, 10.0), (2, 20.0, 20.0), (3, 30.0, 30.0), (4, 40.0, 40.0)]),
    "bonus": (None, {"person_id": "integer", "base": "number"}, [(1, 10.0), (2, 20.0), (3, 30.0), (4, 40.0)]),
}
MASKED: dict[str, Any] = {"mask": {"column": "pay.amount", "with": "withhold"}}
NO_COPIES: dict[str, Any] = {"objects": {"hide": ["column:pay.wage", "column:bonus.base"]}}


def payroll(*sentences: dict[str, Any], **more: Any) -> Evaluator:
    relationships = [{"from": "pay.person_id", "to": "person.id"}, {"from": "bonus.person_id", "to": "person.id"}]
    measures = [{"name": "paid", "table": "pay", "expression": "SUM(amount)"}, {"name": "costs", "table": "pay", "expression": "SUM(pay.amount)"}]
    role = {"name": "r", "kind": "grant", "model": "farm", "sentences": list(sentences), "assigned": [{"everyone": True}]}
    document = {"users": [{"login": "ann", "name": "Ann"}], "models": [model_document(PAYROLL, relationships, measures=measures)], **more}
    return evaluator({**document, "roles": [role, *more.get("roles", [])]}, PAYROLL)


def found_doors(base: Evaluator) -> list[str]:
    return [find.arithmetic for find in probe(base, base.viewer("ann")).found if find.kind == "door"]


def test_a_copy_of_a_masked_column_and_one_in_another_table_are_doors() -> None:
    texts = " | ".join(found_doors(payroll(MASKED)))
    assert "pay.wage shows the same values as pay.amount" in texts
    assert "bonus.base shows the same values as pay.amount" in texts
    assert found_doors(payroll(MASKED, NO_COPIES)) == []


def test_a_hidden_measure_under_another_name_is_a_door() -> None:
    assert found_doors(payroll({"objects": {"hide": ["measure:paid"]}})) == ["costs is the same measure as paid, which is hidden"]


def test_a_page_that_names_a_withheld_text_is_a_door() -> None:
    pages = {"shelves": [{"name": "s"}], "pages": [{"name": "p", "label": "What Ivo does", "shelf": "s", "model": "farm"}]}
    opens = {"pages": {"actions": ["open"]}}
    hides = {"mask": {"column": "person.name", "with": "hash"}}
    assert found_doors(payroll(hides, opens, **pages)) == ["the page What Ivo does names Ivo in its title"]


def test_rows_that_no_role_lists_are_listed_by_grouping() -> None:
    texts = found_doors(payroll({"beneath": {"tables": ["pay"], "rows": False}}))
    assert texts == ["paid by pay.amount has a line for each of the 4 rows, which no role lists"]


def test_the_changes_offered_against_a_find_are_told_as_closing_it_only_where_they_do() -> None:
    base = payroll({"mask": {"column": "pay.amount", "with": "withhold", "when": "person_id = 1", "in_totals": {"full": {"at_least": 2}}}}, NO_COPIES)
    find = next(find for find in probe(base, base.viewer("ann")).found if find.kind == "exact")
    assert (find.subject.row, find.value) == (1, 10.0)
    tried = {item.message: item.closes for item in closings(base, base.viewer("ann"), find)}
    assert tried["No true values in totals in sentence 1 of r."] is True
    assert tried["Rounded to 1, in totals too, in sentence 1 of r."] is True


def test_too_many_unknowns_are_said_to_be_left_out(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(equations, "MOST_UNKNOWNS", 3)
    base = payroll({"mask": {"column": "pay.amount", "with": "withhold", "in_totals": {"full": {"at_least": 2}}}})
    found = probe(base, base.viewer("ann"))
    assert "more than 3 unknowns" in found.left_out[0] or "4 unknowns" in found.left_out[0]


def test_numbers_of_hidden_rows_that_another_table_shows_are_a_door() -> None:
    texts = found_doors(payroll({"rows": {"table": "pay", "where": "person_id = 1"}}))
    assert texts == ["bonus.base shows pay.amount of 3 rows of pay that are hidden", "bonus.base shows pay.wage of 3 rows of pay that are hidden"]
    assert found_doors(payroll({"rows": {"table": "person", "where": "id = 1"}})) == []


def test_numbers_of_a_hidden_table_that_another_shows_are_a_door() -> None:
    assert found_doors(payroll({"objects": {"hide": ["table:pay"]}}))[0].startswith("bonus.base shows the same values as pay.amount")
    assert found_doors(payroll({"objects": {"hide": ["table:pay", "table:bonus"]}})) == []
