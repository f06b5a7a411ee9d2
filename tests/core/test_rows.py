"""Listing rows: filters, order, limits (semantics.md 7.1, 7.6)."""

import pytest

from tests.core.worlds import FARM, ask, farm, rows_role

HIDE_RENT = {"objects": {"hide": ["column:site.rent"]}}


def test_columns_of_lookups_may_be_listed() -> None:
    answer = ask(farm({"name": "r"}), "rows", table="mill", columns=["mill.id", "site.area"], order=["mill.id"])
    assert answer["rows"] == [[10, "fell"], [11, "fell"], [12, "marsh"], [13, None], [14, None]]
    assert answer["visible"] == 5


@pytest.mark.parametrize(
    ("order", "expected"),
    [
        (["id"], [1, 2, 3, 4, 5]),
        (["-id"], [5, 4, 3, 2, 1]),
        (["area", "-id"], [2, 1, 4, 3, 5]),
        (["-area", "id"], [3, 4, 1, 2, 5]),
        (["status"], [2, 1, 3, 5, 4]),
        ([], [1, 2, 3, 4, 5]),
    ],
)
def test_7_1_order_is_by_shown_values_nulls_last_ties_by_key(order: list[str], expected: list[int]) -> None:
    assert [row[0] for row in ask(farm({"name": "r"}), "rows", table="site", columns=["id"], order=order)["rows"]] == expected


def test_7_1_a_cell_that_is_not_shown_sorts_as_null() -> None:
    base = farm(rows_role("a", "site", "area = 'fell'"), {"name": "b", "sentences": [HIDE_RENT]})
    assert [row[0] for row in ask(base, "rows", table="site", columns=["id"], order=["-rent"])["rows"]] == [2, 1, 3, 4, 5]


def test_7_1_ties_by_a_key_that_is_hidden_tell_nothing_of_it() -> None:
    base = farm({"name": "a", "sentences": [{"objects": {"hide": ["column:site.id"]}}]})
    listed = [row[0] for row in ask(base, "rows", table="site", columns=["rent"])["rows"]]
    assert sorted(listed) == [10.0, 20.0, 30.0, 40.0, 50.0]
    assert listed == [row[0] for row in ask(base, "rows", table="site", columns=["rent"])["rows"]]


def test_7_1_filters_match_only_rows_in_which_the_cell_is_clear() -> None:
    base = farm(rows_role("a", "site", "area = 'fell'"), {"name": "b", "sentences": [HIDE_RENT]})
    assert [row[0] for row in ask(base, "rows", table="site", columns=["id"], where="rent > 0")["rows"]] == [1, 2]
    assert [row[0] for row in ask(base, "rows", table="site", columns=["id"], where="rent IS NULL")["rows"]] == []


def test_7_1_limit_and_offset_cut_after_counting() -> None:
    answer = ask(farm({"name": "r"}), "rows", table="site", columns=["id"], order=["id"], limit=2, offset=1)
    assert (answer["visible"], answer["rows"]) == (5, [[2], [3]])
    assert ask(farm({"name": "r"}), "rows", table="site", columns=["id"], limit=0)["rows"] == []


def test_7_1_rows_beyond_a_thousand_are_given_at_no_offset() -> None:
    many = {**FARM, "site": (FARM["site"][0], FARM["site"][1], [(number, "fell", "open", 1.0) for number in range(1500)])}
    base = farm({"name": "r"}, tables=many)
    answer = ask(base, "rows", table="site", columns=["id"], order=["id"], limit=5000)
    assert (answer["visible"], len(answer["rows"])) == (1500, 1000)
    assert ask(base, "rows", table="site", columns=["id"], order=["id"], offset=999, limit=50)["rows"] == [[999]]
    assert ask(base, "rows", table="site", columns=["id"], order=["id"], offset=1000, limit=50)["rows"] == []


def test_4_8_of_the_viewers_attributes_only_those_shown_to_everyone_may_be_asked() -> None:
    attributes = [{"name": "area", "type": "text"}, {"name": "secret", "type": "text", "shown_to": "nobody"}]
    users = [{"login": "ann", "name": "Ann", "attributes": {"area": "fell", "secret": "marsh"}}]
    base = farm({"name": "r"}, users=users, attributes=attributes)
    assert ask(base, "rows", table="site", columns=["id"], where="area = viewer.area", order=["id"])["rows"] == [[1], [2]]
    assert ask(base, "rows", table="site", columns=["id"], where="area = viewer.secret")["error"] == {
        "code": "not_found",
        "message": "Nothing named viewer.secret was found.",
    }


@pytest.mark.parametrize(
    ("question", "code"),
    [
        ({"table": "nowhere"}, "not_found"),
        ({"table": "site", "columns": ["nothing"]}, "not_found"),
        ({"table": "site", "columns": ["run.kwh"]}, "invalid"),
        ({"table": "site", "where": "nothing = 1"}, "not_found"),
        ({"table": "site", "where": "run.kwh = 1"}, "invalid"),
        ({"table": "site", "where": "area = "}, "invalid"),
        ({"table": "site", "where": "area = 5"}, "invalid"),
        ({"table": "site", "where": "nothing IN (SELECT x FROM y)"}, "invalid"),
        ({"table": "site", "where": "area = 5 AND nothing = 1"}, "not_found"),
        ({"table": "site", "order": ["nothing"]}, "not_found"),
        ({"table": "site", "where": "CURRENT_USER = 'ann'"}, "invalid"),
    ],
)
def test_7_6_refusals_come_in_order_names_before_types(question: dict[str, object], code: str) -> None:
    assert ask(farm({"name": "r"}), "rows", **question)["error"]["code"] == code


def test_dates_are_answered_in_iso() -> None:
    assert ask(farm({"name": "r"}), "rows", table="run", columns=["day"], where="kwh = 100")["rows"] == [["2026-01-01"]]
