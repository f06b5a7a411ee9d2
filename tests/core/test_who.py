"""Who reaches something: many looked at together and each alone agree on every kind of world, and with what the engine answers (11.4)."""

import os
from typing import Any
from unittest import mock

import pytest
from hypothesis import HealthCheck, given, settings

from moorland.core.bundle.problems import BundleError
from moorland.core.engine import strata
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Question
from moorland.core.insight import who as looking
from moorland.core.insight.who import WhoAnswer, WhoQuestion, who, who_changed
from tests.core.oracle import conditions as cond
from tests.core.oracle.worlds import COLUMNS, KEYS, MEASURES, World
from tests.core.seeds import SEEDS
from tests.core.worlds import farm, rows_role

CASES = settings(max_examples=int(os.environ.get("EXAMPLES", "40")), deadline=None, suppress_health_check=[HealthCheck.too_slow])


def crowd(world: World) -> Evaluator:
    """The world with ten people who hold the same roles and differ in their values."""
    document, maker = world.document(), world.maker
    for number in range(9):
        attributes = {"words": maker.random.choice([["a"], ["b", "A"], []]), "clearance": maker.random.choice([0, 1, 2])}
        document["users"].append({"login": f"p{number}", "name": f"P{number}", "organization": "o1", "attributes": attributes})
    for role in document["roles"]:
        role["assigned"] = [{"everyone": True}]
    return world.evaluator_of(document)


def subject(world: World) -> dict[str, Any]:
    maker = world.maker
    if maker.chance(0.3):
        name = maker.random.choice(sorted(MEASURES))
        return {"measure": name}
    table = maker.random.choice(["site", "site", "job", "crew", "area"])
    asked: dict[str, Any] = {"table": table}
    if maker.chance(0.5):
        asked["column"] = maker.random.choice(sorted(COLUMNS[table]))
    if maker.chance(0.4):
        asked["row"] = 0 if KEYS[table] is None else -1
    elif maker.chance(0.5):
        asked["where"] = cond.text(maker.condition(table, 1, viewer=False, inner=False))
    return asked


def people(answer: WhoAnswer) -> list[tuple[Any, ...]]:
    return [(item.login, item.state, item.rows, item.listed, item.clear, [(role.role, role.rows) for role in item.through]) for item in answer.people]


@CASES
@given(SEEDS)
def test_many_together_are_as_each_alone(seed: int) -> None:
    world = World(seed)
    core, asked = crowd(world), WhoQuestion.model_validate({"model": "farm", **subject(world)})
    with mock.patch.object(looking, "_may_be_together", return_value=False):
        alone = people(who(core, asked))
    assert people(who(core, asked)) == alone
    with mock.patch.multiple(strata, MIN_ROWS=0, MOST_SHARE=1.0), mock.patch.object(looking, "FEW_ROWS", -1):
        assert people(who(core, asked)) == alone


@CASES
@given(SEEDS)
def test_everybody_who_reaches_rows_or_a_measure_has_them_in_the_answers(seed: int) -> None:
    world = World(seed)
    core = crowd(world)
    measure = world.maker.random.choice(sorted(MEASURES))
    table = world.maker.random.choice(["site", "job", "crew"])
    counted = {person.login: person.rows for person in who(core, WhoQuestion(model="farm", measure=measure)).people}
    listed = {person.login: person.listed for person in who(core, WhoQuestion(model="farm", table=table)).people}
    for viewer in core.everyone():
        totals = core.answer(viewer, Question.model_validate({"totals": {"model": "farm", "measures": [measure]}})).model_dump()
        held = any(rule.least_rows for role in core.held_roles(viewer) for rule in role.masks)
        if not held:
            assert counted.get(viewer.login or "", 0) == (totals.get("basis", [0])[0] or 0)
        rows = core.answer(viewer, Question.model_validate({"rows": {"model": "farm", "table": table, "limit": 0}})).model_dump()
        # Listed is what some question lists: only under so many, that is more than this one does.
        fewer = any(role.beneath(table).only_under for role in core.held_roles(viewer))
        reached, given_here = listed.get(viewer.login or "", 0), rows.get("visible", 0)
        assert reached >= given_here if fewer else reached == given_here


def found(core: Evaluator, **asked: Any) -> list[tuple[str, str, int]]:
    return [(person.login, person.state, person.rows) for person in who(core, WhoQuestion.model_validate(asked)).people]


def two() -> Evaluator:
    users = [{"login": "ann", "name": "Ann"}, {"login": "bea", "name": "Bea"}, {"login": "off", "name": "Off", "enabled": False}]
    masked = {"mask": {"column": "site.rent", "with": "withhold", "when": "id = 1"}}
    first = {**rows_role("a", "site", "id <= 2", assigned=[{"user": "ann"}, {"user": "off"}])}
    first["sentences"].append(masked)
    pages = [{"name": "p", "shelf": "s", "label": "P", "model": "farm"}]
    opens = {"name": "o", "model": None, "sentences": [{"pages": {"actions": ["open"]}}], "assigned": [{"user": "bea"}]}
    model = {"hierarchies": [{"name": "place", "table": "site", "levels": ["area", "id"]}]}
    second = rows_role("b", "site", "TRUE", assigned=[{"user": "bea"}])
    return farm(first, second, opens, users=users, pages=pages, shelves=[{"name": "s"}], model=model)


@pytest.mark.parametrize(
    ("asked", "expected"),
    [
        ({"table": "site", "row": 1}, [("ann", "listed", 1), ("bea", "listed", 1)]),
        ({"table": "site", "row": 3}, [("bea", "listed", 1)]),
        ({"table": "site", "row": 1, "column": "rent"}, [("ann", "masked", 1), ("bea", "clear", 1)]),
        ({"table": "site", "column": "rent"}, [("ann", "partly", 2), ("bea", "clear", 5)]),
        ({"hierarchy": "place", "path": ["marsh"]}, [("bea", "listed", 2)]),
        ({"measure": "rent"}, [("ann", "counted", 1), ("bea", "counted", 5)]),
        ({"measure": "rent", "by": ["site.area"], "key": ["marsh"]}, [("bea", "counted", 2)]),
        ({"page": "p"}, [("bea", "opens", 0)]),
    ],
)
def test_each_kind_of_subject(asked: dict[str, Any], expected: list[tuple[str, str, int]]) -> None:
    assert found(two(), **({} if "page" in asked else {"model": "farm"}), **asked) == expected


def test_who_is_new_and_who_is_gone() -> None:
    before, after = (who(two(), WhoQuestion(model="farm", table="site", row=row)) for row in (3, 1))
    assert who_changed(before, after).model_dump() == {"new": ["ann"], "gone": []}


@pytest.mark.parametrize("asked", [{"table": "barn"}, {"table": "site", "row": 99}, {"table": "site", "column": "x"}, {"measure": "x"}])
def test_what_does_not_exist_is_said(asked: dict[str, Any]) -> None:
    with pytest.raises(BundleError, match=r"there is no|no row"):
        who(two(), WhoQuestion.model_validate({"model": "farm", **asked}))
