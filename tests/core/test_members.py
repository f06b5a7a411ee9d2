"""Members of level and parent hierarchies as a viewer sees them (semantics.md 3.5, 7.5)."""

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from moorland.core.bundle.problems import BundleError
from tests.core.worlds import Tables, ask, farm, rows_role

PLACE = {"hierarchies": [{"name": "place", "table": "site", "levels": ["area", "status"]}]}


def members(base: Any, hierarchy: str) -> list[tuple[list[Any], int]]:
    return [(member["path"], member["rows"]) for member in ask(base, "members", hierarchy=hierarchy)["members"]]


def test_every_level_is_listed_sorted_by_path_with_the_rows_beneath() -> None:
    assert members(farm({"name": "r"}, model=PLACE), "place") == [
        (["fell"], 2),
        (["fell", "closed"], 1),
        (["fell", "open"], 1),
        (["marsh"], 2),
        (["marsh", "open"], 1),
        (["marsh", None], 1),
        ([None], 1),
        ([None, "open"], 1),
    ]


def test_only_members_with_a_visible_row_are_listed() -> None:
    base = farm(rows_role("r", "site", "status = 'open'"), rows_role("l", "site", "area <> 'fell'", kind="limit"), model=PLACE)
    assert members(base, "place") == [(["marsh"], 1), (["marsh", "open"], 1)]


def test_rows_of_a_role_that_hides_the_hierarchy_do_not_count() -> None:
    narrow = rows_role("narrow", "site", "area = 'fell'")
    hiding = {"name": "wide", "sentences": [{"objects": {"hide": ["hierarchy:place"]}}]}
    assert [path for path, _ in members(farm(narrow, hiding, model=PLACE), "place")] == [["fell"], ["fell", "closed"], ["fell", "open"]]


def test_a_hierarchy_that_is_hidden_is_refused_in_the_words_of_one_that_never_was() -> None:
    base = farm({"name": "r", "sentences": [{"objects": {"hide": ["column:site.status"]}}]}, model=PLACE)
    messages = [ask(base, "members", hierarchy=name)["error"]["message"].replace(name, "…") for name in ("place", "plate")]
    assert messages[0] == messages[1]


def staff(rows: list[tuple[int, int | None]], where: str = "TRUE") -> Any:
    tables: Tables = {"staff": ("id", {"id": "integer", "lead": "integer"}, rows)}
    model = {"hierarchies": [{"name": "line", "table": "staff", "key": "id", "parent": "lead"}]}
    return farm(rows_role("r", "staff", where), tables=tables, relationships=[], model=model)


def test_ancestors_of_a_visible_member_are_listed_so_that_it_can_be_reached() -> None:
    rows = [(1, None), (2, 1), (3, 2), (4, 1), (5, 99)]
    assert members(staff(rows), "line") == [([1], 4), ([1, 2], 2), ([1, 2, 3], 1), ([1, 4], 1), ([5], 1)]
    assert members(staff(rows, "id = 3"), "line") == [([1], 1), ([1, 2], 1), ([1, 2, 3], 1)]
    assert members(staff(rows, "FALSE"), "line") == []


def test_7_5_rows_that_a_base_filter_removes_stand_in_no_path() -> None:
    tables: Tables = {"staff": ("id", {"id": "integer", "lead": "integer"}, [(1, None), (2, 1), (3, 2)])}
    shape = {"name": "staff", "key": "id", "base_filter": "id <> 2", "columns": [{"name": "id", "type": "integer"}, {"name": "lead", "type": "integer"}]}
    model = {"tables": [shape], "hierarchies": [{"name": "line", "table": "staff", "key": "id", "parent": "lead"}]}
    base = farm({"name": "r"}, tables=tables, relationships=[], model=model)
    assert members(base, "line") == [([1], 2), ([1, 3], 1)]


def test_parents_in_a_circle_are_an_error_of_the_data() -> None:
    with pytest.raises(BundleError, match="lead in a circle"):
        ask(staff([(1, 2), (2, 1), (3, None)]), "members", hierarchy="line")


@settings(max_examples=150, deadline=None)
@given(st.lists(st.integers(0, 9), max_size=10), st.sets(st.integers(0, 9)))
def test_any_tree_counts_the_visible_rows_at_or_beneath(leads: list[int], seen: set[int]) -> None:
    rows = [(number, lead if lead < number else None) for number, lead in enumerate(leads)]
    parents = dict(rows)

    def path(number: int) -> list[int]:
        lead = parents[number]
        return [*path(lead), number] if lead is not None else [number]

    visible = [number for number in parents if number in seen]
    expected = sorted((path(number), sum(number in path(other) for other in visible)) for number in parents)
    where = f"id IN ({', '.join(str(number) for number in sorted(seen))})" if seen else "FALSE"
    assert members(staff(rows, where), "line") == [(found, count) for found, count in expected if count]
