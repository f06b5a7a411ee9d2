"""Effects of an edit, who gains and loses, who holds what, what changed."""

from typing import Any

import pytest

from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.questions import Refused
from moorland.core.insight.differences import differences
from moorland.core.insight.effect import AlignedQuestion, aligned_rows, share
from moorland.core.insight.holders import holders, page_openers
from moorland.core.insight.impact import impact
from tests.core.worlds import farm, rows_role

PEOPLE: dict[str, Any] = {
    "users": [{"login": "ann", "name": "Ann"}, {"login": "bob", "name": "Bob", "enabled": False}, {"login": "cat", "name": "Cat"}],
    "groups": [{"name": "inner", "users": ["ann", "bob"]}, {"name": "outer", "groups": ["inner"]}],
}


def farm_of_people(*roles: dict[str, Any]) -> Evaluator:
    return farm(*roles, **PEOPLE)


def test_a_share_counts_visible_rows_and_names_what_is_absent() -> None:
    role = {"name": "r", "sentences": [{"rows": {"table": "site", "where": "area = 'fell'"}}, {"objects": {"hide": ["column:site.rent", "table:run"]}}]}
    base = farm_of_people(role)
    found = share(base, base.viewer("ann"), "farm")
    assert [(table.table, table.visible, table.rows, table.absent_columns) for table in found.tables] == [
        ("site", 2, 5, ["rent"]),
        ("mill", 2, 5, []),
        ("run", None, 7, []),
    ]
    assert (found.measures, found.absent_measures) == ([], ["energy", "runs", "secret", "share", "rent"])


def test_a_share_says_why_nothing_is_seen() -> None:
    base = farm_of_people({"name": "r"})
    found = share(base, base.viewer("bob"), "farm")
    assert found.refused is not None
    assert found.refused.code == "no_access"


def test_aligned_rows_keep_withheld_rows_in_their_places() -> None:
    base = farm_of_people(
        rows_role("fell", "site", "area = 'fell'"), {"name": "poor", "sentences": [{"objects": {"hide": ["column:site.rent"]}}], "assigned": [{"user": "cat"}]}
    )
    question = AlignedQuestion(model="farm", table="site", columns=["id", "rent"], order=["id"], where="id < 4")
    rows = aligned_rows(base, question, [base.viewer("ann"), base.viewer("cat"), base.viewer("bob")])
    assert [row.values for row in rows.rows] == [[1, 10.0], [2, 20.0], [3, 30.0]]
    assert [row.states[0] for row in rows.rows] == [["clear", "clear"], ["clear", "clear"], None]
    assert [row.states[1] for row in rows.rows] == [["clear", "clear"], ["clear", "clear"], ["clear", "hidden"]]
    assert (rows.visible, rows.matching) == ([2, 3, 0], 3)
    assert rows.refused[2] is not None


def test_aligned_rows_may_be_those_withheld_from_somebody() -> None:
    base = farm_of_people(rows_role("fell", "site", "area = 'fell'"))
    question = AlignedQuestion(model="farm", table="site", columns=["id"], order=["id"], only="differing")
    assert [row.values[0] for row in aligned_rows(base, question, [base.viewer("ann")]).rows] == [3, 4, 5]


def test_aligned_rows_refuse_a_name_that_is_not_there() -> None:
    base = farm_of_people({"name": "r"})
    with pytest.raises(Refused):
        aligned_rows(base, AlignedQuestion(model="farm", table="site", columns=["nothing"]), [])


def test_impact_names_everybody_for_whom_something_changes() -> None:
    before = farm_of_people(rows_role("r", "site", "area = 'fell'", assigned=[{"group": "outer"}]))
    after = farm_of_people(
        rows_role("r", "site", "status = 'open'", assigned=[{"group": "outer"}]),
        {"name": "new", "sentences": [{"objects": {"hide": ["table:run"]}}], "assigned": [{"user": "cat"}]},
    )
    found = {item.login: item for item in impact(before, after, ["ann", "bob", "cat"])}
    assert sorted(found) == ["ann", "cat"]
    assert next((table.table, table.before, table.after, table.gained, table.lost) for table in found["ann"].tables) == ("site", 2, 3, 2, 1)
    assert "column site.rent" in found["cat"].gained
    assert found["cat"].lost == []


def test_holders_are_listed_with_the_path_by_which_they_hold() -> None:
    found = holders(farm_of_people({"name": "r", "assigned": [{"group": "outer"}, {"user": "cat"}]}))["r"]
    assert [(holder.login, holder.enabled, [path.groups for path in holder.paths]) for holder in found] == [
        ("ann", True, [["inner", "outer"]]),
        ("bob", False, [["inner", "outer"]]),
        ("cat", True, [[]]),
    ]


def test_page_openers_leave_out_the_disabled() -> None:
    role = {"name": "r", "sentences": [{"pages": {"actions": ["open"]}}]}
    base = farm(role, shelves=[{"name": "s"}], pages=[{"name": "p", "shelf": "s"}], **PEOPLE)
    assert page_openers(base) == {"p": ["ann", "cat"]}


ROLE = {"name": "r", "label": "R", "sentences": [{"rows": {"table": "a", "where": "x"}}, {"objects": {"hide": ["b"]}}]}


@pytest.mark.parametrize(
    ("before", "after", "expected"),
    [
        ({"roles": []}, {"roles": [ROLE]}, [("added", [])]),
        ({"roles": [ROLE]}, {"roles": []}, [("removed", [])]),
        ({"roles": [ROLE]}, {"roles": [ROLE]}, []),
        ({"roles": [ROLE]}, {"roles": [{**ROLE, "label": "S"}]}, [("changed", ["label"])]),
        (
            {"roles": [ROLE]},
            {"roles": [{**ROLE, "sentences": [{"rows": {"table": "a", "where": "y"}}, ROLE["sentences"][1]]}]},
            [("changed", ["sentences"])],
        ),
    ],
)
def test_differences_name_the_smallest_parts(before: dict[str, Any], after: dict[str, Any], expected: list[Any]) -> None:
    assert [(change.change, [part.path for part in change.differences]) for change in differences(before, after)] == expected
