"""A bridge begins at the engine's figure, ends at the engine's figure, and its steps add up, on every kind of generated world (11.3)."""

import math
import os
from typing import Any
from unittest import mock

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from moorland.core.bundle.people import RealViewer
from moorland.core.bundle.problems import BundleError
from moorland.core.engine import strata
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Question, Refused
from moorland.core.insight.bridge import Bridge, BridgeQuestion, bridge
from moorland.core.people import Viewer
from tests.core.oracle import conditions as cond
from tests.core.oracle.worlds import MEASURES, World
from tests.core.seeds import SEEDS
from tests.core.worlds import farm, rows_role

CASES = settings(max_examples=int(os.environ.get("EXAMPLES", "60")), deadline=None, suppress_health_check=[HealthCheck.too_slow])
SUMS = ["cost", "costs", "jobs", "sizes", "jobs"]


def answered(core: Evaluator, viewer: Viewer, asked: BridgeQuestion) -> tuple[bool, Any, list[Any]]:
    """Whether the figure exists, the figure of the line as the engine answers it, and every line's key."""
    question = {"model": asked.model, "by": asked.by, "measures": [asked.measure], "where": asked.where, "subtotals": asked.subtotals}
    answer = core.answer(viewer, Question.model_validate({"totals": question})).model_dump(mode="json")
    if "error" in answer or answer["not_found"]:
        return False, None, []
    keys = [line["key"] for line in answer["lines"]]
    if not asked.key:
        return True, answer["total"][0], keys
    return True, next((line["values"][0] for line in answer["lines"] if line["key"] == asked.key), None), keys


def equal(left: Any, right: Any) -> bool:
    if isinstance(left, float) or isinstance(right, float):
        return math.isclose(left or 0, right or 0, rel_tol=1e-9, abs_tol=1e-9)
    return bool((left or 0) == (right or 0))


def check(found: Bridge, first: Any, last: Any) -> None:
    assert equal(found.first.figure, first)
    assert equal(found.last.figure, last)
    figures = [found.first.figure, *(step.figure for step in found.steps)]
    assert equal(figures[-1], found.last.figure)
    for before, step in zip(figures, found.steps, strict=False):
        if step.amount is not None:
            assert equal(step.amount, (step.figure or 0) - (before or 0))
    if all(figure is None or (not isinstance(figure, str) and abs(figure) < 1e15) for figure in figures):
        total = (first or 0) + sum(step.amount or 0 for step in found.steps)
        assert total == (last or 0) if all(isinstance(figure, int | None) for figure in figures) else equal(total, last)
    assert found.first.rows + sum(step.rows for step in found.steps) == found.last.rows


@CASES
@given(SEEDS, st.booleans(), st.booleans())
def test_every_bridge_adds_up(seed: int, on_strata: bool, between: bool) -> None:
    world = World(seed)
    maker, core = world.maker, world.core()
    viewer = core.viewer("ann")
    start = core.viewer(RealViewer(login="ann", only_roles=maker.some([role["name"] for role in world.roles], 3))) if between else None
    whole = core.all_data()
    measure = maker.random.choice([*SUMS, *MEASURES])
    table = "site" if measure in ("sizes", "share") else "job"
    by = maker.random.sample([name for name, _ in maker.columns(table)], maker.random.randint(0, 2))
    where = maker.condition(table, 1, viewer=False, inner=False) if maker.chance(0.3) else None
    asked = BridgeQuestion(model="farm", measure=measure, by=by, where=cond.text(where) if where else None, subtotals=maker.chance(0.5))
    _, _, keys = answered(core, whole, asked)
    keys += answered(core, viewer, asked)[2]
    if keys and maker.chance(0.8):
        asked = asked.model_copy(update={"key": maker.random.choice(keys)})
    there, first, _ = answered(core, start or whole, asked)
    with mock.patch.multiple(strata, MIN_ROWS=0 if on_strata else 10**9, MOST_SHARE=1.0):
        try:
            found = bridge(core, viewer, asked, start)
        except (BundleError, Refused):
            assert not there
            return
    check(found, first, answered(core, viewer, asked)[1])
    if not any("mask" in sentence for role in world.roles for sentence in role["sentences"]):
        assert {step.kind for step in found.steps} <= {"absent", "apart", "outside", "limit", "lifted", "gained", "regrouped"}


def steps(core: Evaluator, login: str = "ann", start: str | None = None, **asked: Any) -> list[tuple[str, str | None, int | None, int, Any]]:
    found = bridge(core, core.viewer(login), BridgeQuestion(model="farm", **asked), core.viewer(start) if start else None)
    return [(step.kind, step.role, step.sentence, step.rows, step.amount) for step in found.steps]


def test_rows_no_grant_opens_are_told_by_the_nearest_one() -> None:
    near = {"name": "near", "sentences": [{"rows": {"table": "site", "where": "area = 'fell'"}}, {"rows": {"table": "site", "where": "status = 'open'"}}]}
    core = farm(near, rows_role("other", "site", "id = 3"))
    assert steps(core, measure="rent") == [("outside", "near", 0, -1, -50.0), ("outside", "near", 1, -1, -20.0), ("outside", "other", 0, -1, -40.0)]


def test_each_limit_is_a_step() -> None:
    core = farm({"name": "all"}, rows_role("a", "site", "id <> 1", kind="limit"), rows_role("b", "site", "area = 'marsh'", kind="limit"))
    assert steps(core, measure="rent") == [("limit", "a", 0, -1, -10.0), ("limit", "b", 0, -2, -70.0)]


def test_rows_open_only_where_the_figure_does_not_exist_are_apart() -> None:
    blind = {"name": "blind", "sentences": [{"objects": {"hide": ["column:site.rent"]}}]}
    core = farm(blind, rows_role("sees", "site", "id <= 2"))
    assert steps(core, measure="rent") == [("apart", "blind", None, -3, -120.0)]


def test_masked_cells_that_stay_out_and_those_that_enter_otherwise() -> None:
    mask = {"mask": {"column": "site.rent", "with": {"round": {"to": 25}}, "in_totals": "shown", "when": "id <= 2"}}
    out = {"mask": {"column": "site.rent", "with": "withhold", "when": "id = 3"}}
    core = farm({"name": "r", "sentences": [mask, out]})
    assert steps(core, measure="rent") == [("masked", None, None, -1, -30.0), ("shown", None, None, 0, -5.0)]


def test_rows_move_between_lines_where_the_column_asked_by_is_masked() -> None:
    core = farm({"name": "r", "sentences": [{"mask": {"column": "site.area", "with": {"fixed": {"text": "marsh"}}, "when": "id = 1"}}]})
    assert steps(core, measure="rent", by=["site.area"], key=["fell"]) == [("moved_out", None, None, -1, -10.0)]
    assert steps(core, measure="rent", by=["site.area"], key=["marsh"]) == [("moved_in", None, None, 1, 10.0)]


def test_a_line_that_is_withheld_ends_at_nothing() -> None:
    core = farm({"name": "r", "sentences": [{"mask": {"column": "site.rent", "with": "withhold", "in_totals": {"full": {"at_least": 3}}}}]})
    assert steps(core, measure="rent", by=["site.area"], key=["fell"]) == [("withheld", None, None, -2, -30.0)]


def test_whole_totals_lift_rows() -> None:
    members = {"members": {"hierarchy": "place", "list": [{"path": ["fell", 1], "see": True}], "totals": "whole"}}
    core = farm({"name": "r", "sentences": [members]}, model={"hierarchies": [{"name": "place", "table": "site", "levels": ["area", "id"]}]})
    assert steps(core, measure="rent", by=["site.area"], key=["fell"]) == [("outside", "r", 0, -1, -20.0), ("lifted", None, None, 1, 20.0)]


def test_two_viewers_differ_by_what_each_alone_counts() -> None:
    users = [{"login": "ann", "name": "Ann"}, {"login": "bea", "name": "Bea"}]
    core = farm(
        rows_role("a", "site", "id IN (1, 2)", assigned=[{"user": "ann"}]), rows_role("b", "site", "id IN (2, 3)", assigned=[{"user": "bea"}]), users=users
    )
    assert steps(core, "bea", "ann", measure="rent") == [("outside", "b", 0, -1, -10.0), ("gained", "a", 0, 1, 30.0)]


def test_a_figure_that_does_not_exist_for_somebody_ends_at_nothing() -> None:
    core = farm({"name": "r", "sentences": [{"objects": {"hide": ["measure:rent"]}}]})
    assert steps(core, measure="rent") == [("absent", None, None, -5, -150.0)]


def test_a_bridge_of_nothing_that_exists_is_refused() -> None:
    core = farm({"name": "r"})
    with pytest.raises(BundleError, match="no measure"):
        bridge(core, core.viewer("ann"), BridgeQuestion(model="farm", measure="wind"))
    with pytest.raises(BundleError, match="no more values"):
        bridge(core, core.viewer("ann"), BridgeQuestion(model="farm", measure="rent", key=["fell"]))
