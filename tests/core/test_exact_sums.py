"""Sums are exact: what does not count moves no digit, and every way to a figure gives the same one (semantics.md 1.4, 7.1)."""

import math
from fractions import Fraction
from unittest import mock

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from moorland.core.engine import many_viewers, strata
from moorland.core.engine.exact_sums import Sums
from moorland.core.engine.many_viewers import answered_each
from moorland.core.engine.questions import Question
from tests.core.worlds import FARM, Tables, ask, farm, rows_role

NUMBERS = st.lists(st.floats(allow_nan=False, allow_infinity=False), max_size=40)


def exactly(values: list[float]) -> float | None:
    """The nearest number to a sum, by fractions; None where it is beyond them."""
    try:
        found = float(sum(map(Fraction, values), Fraction(0)))
    except OverflowError:
        return None
    return found if math.isfinite(found) else None


def summed(sums: Sums) -> list[float | None]:
    values, fits = sums.rounded()
    return [value if fit else None for value, fit in zip(values.tolist(), fits.tolist(), strict=True)]


@given(NUMBERS)
def test_a_sum_is_the_number_nearest_to_the_exact_one(values: list[float]) -> None:
    assert summed(Sums.of(np.array(values), np.zeros(len(values), np.int64), 1)) == [exactly(values)]


@given(NUMBERS, NUMBERS, st.randoms(use_true_random=False))
def test_what_does_not_count_and_how_it_is_grouped_first_moves_no_digit(values: list[float], hidden: list[float], chance: object) -> None:
    parts = np.array([chance.randrange(3) for _ in values] + [3] * len(hidden), np.int64)  # type: ignore[attr-defined]
    by_part = Sums.of(np.array(values + hidden), parts, 4)
    assert summed(by_part.picked(np.arange(3)).by(lambda part: np.array([part.sum()]))) == [exactly(values)]


TENTHS: Tables = {**FARM, "run": (*FARM["run"][:2], [(10 + number % 3, "2026-01-01", 0.1 + number / 7, float(number)) for number in range(60)])}


def test_a_visible_figure_is_the_same_to_its_last_digit_whatever_is_hidden() -> None:
    found = set()
    for hidden in (0.3, 1e15, -1e-9, 1e300):
        changed = {**TENTHS, "run": (*TENTHS["run"][:2], [(row[0], row[1], hidden if row[0] == 12 else row[2], row[3]) for row in TENTHS["run"][2]])}
        base = farm(rows_role("r", "mill", "id <> 12"), tables=changed, model={"measures": [{"name": "energy", "table": "run", "expression": "SUM(kwh)"}]})
        for least in (0, 10_000):
            with mock.patch.multiple(strata, MIN_ROWS=least, MOST_SHARE=1.0):
                found.add(ask(base, "totals", measures=["energy"])["total"][0])
                base.data("farm").strata.clear()
    assert len(found) == 1


def test_everyone_at_once_gets_the_same_digits_as_one_alone() -> None:
    users = [{"login": f"u{number}", "name": "U", "attributes": {"mill": 10 + number % 3}} for number in range(12)]
    measures = [{"name": "energy", "table": "run", "expression": "SUM(kwh)"}, {"name": "mean", "table": "run", "expression": "AVG(kwh)"}]
    role = rows_role("r", "mill", "id = viewer.mill OR id = 10")
    base = farm(role, tables=TENTHS, users=users, attributes=[{"name": "mill", "type": "integer"}], model={"measures": measures})
    question = Question.model_validate({"totals": {"model": "farm", "by": ["mill.id"], "measures": ["energy", "mean"]}})
    with mock.patch.multiple(strata, MIN_ROWS=0, MOST_SHARE=1.0), mock.patch.object(many_viewers, "LEAST_VIEWERS", 2):
        together = [given[0] for given in answered_each(base, list(base.everyone()), [question])]
    assert together == [base.answer(viewer, question) for viewer in base.everyone()]


@pytest.mark.parametrize("key", [None, "id"])
def test_cells_that_are_not_clear_never_move_a_row(key: str | None) -> None:
    orders = set()
    for turn in range(4):
        rows = [(number, "fell", "open", float((number * 7 + turn * 3) % 5)) for number in range(12)]
        rents: Tables = {**FARM, "site": (key, FARM["site"][1], rows)}
        hidden = {"name": "r", "sentences": [{"objects": {"hide": ["column:site.rent", *(["column:site.id"] if key else [])]}}]}
        shown = ["site.area", "site.status"] if key else ["site.id", "site.area"]
        base = farm(hidden, tables=rents, relationships=[], model={"measures": []})
        answer = ask(base, "rows", table="site", columns=shown, order=["site.area"])
        orders.add(str(answer["rows"]))
    assert len(orders) == 1
