"""Classes of people who see exactly the same: nobody in one sees anything another of it does not, and no two classes see the same (11.5)."""

import os
from typing import Any
from unittest import mock

import numpy as np
from hypothesis import HealthCheck, given, settings

from moorland.core.engine import strata
from moorland.core.engine.asked import Asked, granting_measure
from moorland.core.engine.counting import Radix, count
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Refused
from moorland.core.engine.table_view import listed_table, visible_table
from moorland.core.insight.reach import Reach, as_document, reach
from moorland.core.insight.standing_out import crossings, standing_out
from moorland.core.people import Viewer
from tests.core.oracle.worlds import World
from tests.core.seeds import SEEDS
from tests.core.test_who import crowd, two
from tests.core.worlds import farm, rows_role

CASES = settings(max_examples=int(os.environ.get("EXAMPLES", "35")), deadline=None, suppress_health_check=[HealthCheck.too_slow])


def everything_seen(core: Evaluator, viewer: Viewer) -> str:
    """All that one person sees, written out, by the rows of the model as they are."""
    try:
        model = core.viewer_model(viewer, "farm")
    except Refused:
        return "nothing"
    told: list[Any] = [sorted(model.objects.tables), sorted(model.objects.hierarchies), sorted(model.objects.cubes)]
    for table in sorted(model.objects.tables):
        view, listed = visible_table(model, table), listed_table(model, table)
        beneath = sorted({repr((rows.role.beneath(table).limit, rows.role.beneath(table).export)) for rows in (*model.listing(table), *model.limits)})
        told += [table, view.rows.tolist(), listed.rows.tolist(), beneath, bool(model.exporting(table))]
        for column in model.data.schema.tables[table].columns:
            states = view.states_in((table, column.name), np.flatnonzero(view.rows))
            if (table, column.name) in model.objects.columns:
                told += [column.name, [repr(model.ladder.kinds[state]) for state in states.tolist()]]
    for name, measure in sorted(core.models["farm"].measures.items()):
        if granting_measure(model, measure, Asked((), None)):
            for table in sorted({measure.table, *measure.tables}):
                counted = count(model, measure, table, Asked((), None), 0, Radix(model, (), core.secret), strata=False)
                values = {key: [repr(model.ladder.kinds[state]) for state in states.tolist()] for key, states in sorted(counted.values.items())}
                told += [name, table, counted.places.tolist(), values, None if counted.least is None else counted.least.tolist()]
    return repr(told)


def grouped(found: Reach) -> list[list[str]]:
    return [item.logins for item in found.classes]


@CASES
@given(SEEDS)
def test_classes_are_who_sees_exactly_the_same(seed: int) -> None:
    core = crowd(World(seed))
    same: dict[str, list[str]] = {}
    for viewer in core.everyone():
        same.setdefault(everything_seen(core, viewer), []).append(viewer.login or "")
    expected = sorted(sorted(logins) for logins in same.values())
    assert grouped(reach(core, "farm")) == expected
    with mock.patch.multiple(strata, MIN_ROWS=0, MOST_SHARE=1.0):
        on_strata = reach(core, "farm")
    assert grouped(on_strata) == expected


@CASES
@given(SEEDS)
def test_a_class_tells_what_its_people_see(seed: int) -> None:
    core = crowd(World(seed))
    for item in as_document(reach(core)):
        viewer = core.viewer(item["logins"][0])
        try:
            model = core.viewer_model(viewer, "farm")
        except Refused:
            assert not any(table["rows"] for table in item["tables"].values())
            continue
        for table in core.models["farm"].schema.tables:
            rows = visible_table(model, table).rows if table in model.objects.tables else np.zeros(0, np.bool_)
            assert item["tables"][f"farm.{table}"]["rows"] == int(rows.sum())
            for column in core.models["farm"].schema.tables[table].columns:
                states = {str(state) for state in visible_table(model, table).names_in((table, column.name), np.flatnonzero(rows))} or {"hidden"}
                assert item["columns"][f"farm.{table}.{column.name}"] == (states.pop() if len(states) == 1 else "mixed")


def test_people_without_a_role_are_a_class_and_disabled_ones_none() -> None:
    users = [{"login": login, "name": login, "enabled": login != "cid"} for login in ("ann", "bea", "cid", "dan")]
    core = farm(rows_role("a", "site", "id = 1", assigned=[{"user": "bea"}]), users=users)
    found = reach(core)
    assert [(item["logins"], item["tables"]["farm.site"]["rows"]) for item in as_document(found)] == [(["ann", "dan"], 0), (["bea"], 1)]


def test_people_looked_at_are_told_until_all_are() -> None:
    told: list[tuple[int, int]] = []
    core = two()
    reach(core, progress=lambda done, of: told.append((done, of)))
    assert told == sorted(told) and told[-1][0] == told[-1][1] == 2


def test_sensitive_columns_are_those_masked_hidden_or_tagged() -> None:
    assert reach(two()).sensitive == ["farm.site.rent"]


def fellows(*more: dict[str, Any]) -> Evaluator:
    """Five people of one group, of whom one holds a role more."""
    users = [{"login": login, "name": login.title()} for login in ("ann", "bea", "cid", "dan", "eva")]
    role = {**rows_role("fell", "site", "area = 'fell'", assigned=[{"group": "g"}]), "label": "The fell"}
    winter = {**rows_role("winter", "site", "area = 'marsh'", assigned=[{"user": "dan"}]), "label": "Winter review"}
    groups = [{"name": "g", "label": "Stewards", "users": ["ann", "bea", "cid", "dan", "eva"]}]
    return farm(role, winter, *more, users=users, groups=groups)


def test_who_sees_otherwise_than_most_of_a_group_stands_out() -> None:
    core = fellows()
    (found,) = standing_out(core, reach(core))
    assert (found.login, found.label, found.others) == ("dan", "Stewards", 4)
    expected = "sees 2 more rows of site and 2 more rows of run than the 4 others of Stewards who see the same: by Winter review, assigned in person"
    assert found.message == expected


def test_what_changed_of_a_class_is_told_with_how_it_was() -> None:
    core, before = fellows(), farm(users=[{"login": "dan", "name": "Dan"}])
    after = reach(core)
    place = next(place for place, item in enumerate(after.classes) if "dan" in item.logins)
    told = {item.what: item.before for item in crossings(reach(before), after)[place]}
    assert (told["table:farm.site"], told["column:farm.site.rent"]) == (["0"], ["hidden"])
