"""Totals of many viewers at once are those of each alone, on generated worlds."""

import os
from typing import Any
from unittest import mock

from hypothesis import Phase, given, settings

from moorland.core.bundle.people import ImaginedPerson, ImaginedViewer
from moorland.core.engine import many_viewers as evaluating
from moorland.core.engine import strata
from moorland.core.engine.many_viewers import answered_each
from moorland.core.engine.questions import Question
from moorland.core.insight import impact as impact_module
from moorland.core.insight.impact import impact
from tests.core.oracle import conditions as cond
from tests.core.oracle.worlds import MEASURES as ALL_MEASURES
from tests.core.oracle.worlds import World
from tests.core.seeds import SEEDS
from tests.core.test_against_oracle import plain

CASES = settings(max_examples=int(os.environ.get("EXAMPLES", "50")), deadline=None, phases=[Phase.explicit, Phase.reuse, Phase.generate])
MEASURES = ["cost", "costs", "jobs", "mean", "share"]


def crowd(world: World) -> list[ImaginedViewer]:
    """Viewers who hold the same roles and differ in their attributes."""
    found = []
    for words in (None, ["a"], ["b", "A"], []):
        for clearance in (None, 0, 2):
            values: dict[str, Any] = {name: value for name, value in (("words", words), ("clearance", clearance)) if value is not None}
            roles = [role["name"] for role in world.roles]
            found.append(ImaginedViewer(imagine=ImaginedPerson(login="ann", organization="o1", attributes=values, only_roles=roles)))
    return found


@CASES
@given(SEEDS)
def test_together_as_alone(seed: int) -> None:
    world = World(seed, "sql")
    maker = world.maker
    by = maker.random.sample([name for name, _ in maker.columns("site")], maker.random.randint(0, 2))
    where = maker.condition("site", 1, inner=False, viewer=False) if maker.chance(0.3) else None
    question = Question.model_validate(
        {"totals": {"model": "farm", "by": by, "measures": MEASURES, "where": cond.text(where) if where else None, "subtotals": True}}
    )
    core = world.core()
    viewers = [core.viewer(reference) for reference in crowd(world)]
    alone = [plain(core.answer(viewer, question).model_dump()) for viewer in viewers]
    with mock.patch.multiple(strata, MIN_ROWS=0, MOST_SHARE=1.0), mock.patch.object(evaluating, "LEAST_VIEWERS", 1):
        together = [plain(given[0].model_dump()) for given in answered_each(core, viewers, [question])]
    assert list(together) == list(alone)


@CASES
@given(SEEDS)
def test_totals_on_strata_are_those_on_rows_masks_and_whole_totals_too(seed: int) -> None:
    world = World(seed)
    maker = world.maker
    by = maker.random.sample([name for name, _ in maker.columns("job")], maker.random.randint(0, 2))
    where = maker.condition("job", 1, inner=False, viewer=False) if maker.chance(0.3) else None
    measures = [name for name, (table, _) in ALL_MEASURES.items() if table == "job" and name != "share"]
    question = Question.model_validate(
        {"totals": {"model": "farm", "by": by, "measures": measures, "where": cond.text(where) if where else None, "subtotals": True}}
    )
    core = world.core()
    on_rows = plain(core.answer(core.viewer("ann"), question).model_dump())
    with mock.patch.multiple(strata, MIN_ROWS=0, MOST_SHARE=1.0):
        on_strata = plain(core.answer(core.viewer("ann"), question).model_dump())
    assert on_strata == on_rows


def test_viewers_who_hold_the_same_roles_are_answered_together() -> None:
    world = World(3, "sql").opened({"rows": {"table": "site", "where": ("in_viewer", ("col", "site.status"), "words")}})
    core = world.core()
    viewers = [core.viewer(reference) for reference in crowd(world)]
    question = Question.model_validate({"totals": {"model": "farm", "by": ["site.status"], "measures": ["jobs"]}})
    with mock.patch.multiple(strata, MIN_ROWS=0, MOST_SHARE=1.0), mock.patch.object(core, "answer", side_effect=AssertionError("answered alone")):
        assert len(answered_each(core, viewers, [question])) == len(viewers)


@CASES
@given(SEEDS)
def test_impact_counted_together_is_that_of_each_alone(seed: int) -> None:
    world = World(seed, "sql" if seed % 2 else None)
    document = world.document()
    people = []
    for number, reference in enumerate(crowd(world)):
        person = reference.imagine
        people.append({"login": f"u{number}", "name": "U", "organization": "o1", "attributes": person.attributes})
    document["users"] += people
    after = {**document, "roles": [dict(role) for role in document["roles"]]}
    for role in document["roles"]:
        role["assigned"] = [{"everyone": True}]
    edited = world.maker.random.choice(after["roles"])
    edited["sentences"] = edited["sentences"][1:]
    for role in after["roles"]:
        role["assigned"] = [{"everyone": True}]
    old, new = world.evaluator_of(document), world.evaluator_of(after)
    new.shared, new._tables = old.shared, old._tables
    logins = [user["login"] for user in document["users"]]
    with mock.patch.multiple(strata, MIN_ROWS=0, MOST_SHARE=1.0):
        together = impact(old, new, logins)
    with mock.patch.object(impact_module, "changes_together", return_value=None):
        alone = impact(old, new, logins)
    assert list(together) == list(alone)
