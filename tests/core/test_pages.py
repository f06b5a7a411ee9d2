"""Which pages open: grants allow, limits deny, unknown denies (semantics.md 5.9, 10.2)."""

from typing import Any

import pytest

from tests.core.worlds import ask, evaluator

PAGES = [
    {"name": "output", "shelf": "work", "tags": ["monthly"], "owner": "ann"},
    {"name": "costs", "shelf": "money", "tags": ["monthly", "private"]},
    {"name": "diary", "shelf": "work"},
]


def opened(*roles: dict[str, Any], action: str = "open", **user: Any) -> list[str]:
    written = [
        {"name": f"r{index}", "kind": role.get("kind", "grant"), "sentences": [{"pages": role["pages"]}], "assigned": [{"everyone": True}]}
        for index, role in enumerate(roles)
    ]
    base = evaluator(
        {
            "users": [{"login": "ann", "name": "Ann", **user}],
            "attributes": [{"name": "level", "type": "integer"}],
            "shelves": [{"name": "work"}, {"name": "money"}],
            "pages": PAGES,
            "roles": written,
        },
        {},
    )
    found: list[str] = ask(base, "pages")[action]
    return found


def opens(**sentence: Any) -> dict[str, Any]:
    return {"pages": {"actions": ["open"], **sentence}}


def closes(**sentence: Any) -> dict[str, Any]:
    return {"kind": "limit", "pages": {"actions": ["open"], **sentence}}


@pytest.mark.parametrize(
    ("sentence", "expected"),
    [
        ({}, ["costs", "diary", "output"]),
        ({"on": []}, []),
        ({"on": ["shelf:work"]}, ["diary", "output"]),
        ({"on": ["page:costs"]}, ["costs"]),
        ({"where": "'monthly' IN page.tags"}, ["costs", "output"]),
        ({"where": "'monthly' NOT IN page.tags"}, ["diary"]),
        ({"on": ["shelf:work"], "where": "'monthly' IN page.tags"}, ["output"]),
        ({"where": "page.owner = viewer.login"}, ["output"]),
        ({"where": "page.shelf = 'money' OR page.name = 'diary'"}, ["costs", "diary"]),
        ({"where": "viewer.level > 3"}, []),
    ],
)
def test_5_9_a_page_opens_where_the_sentence_is_true(sentence: dict[str, Any], expected: list[str]) -> None:
    assert opened(opens(**sentence)) == expected


def test_no_role_opens_nothing() -> None:
    assert opened() == []


def test_10_2_a_limit_denies_where_it_is_true() -> None:
    assert opened(opens(), closes(where="'private' IN page.tags")) == ["diary", "output"]


def test_10_2_a_limit_denies_where_it_is_unknown() -> None:
    assert opened(opens(), closes(where="viewer.level > 3")) == []
    assert opened(opens(), closes(where="viewer.level > 3"), attributes={"level": 2}) == ["costs", "diary", "output"]


def test_12_6_any_other_action_needs_open_too() -> None:
    export = {"pages": {"actions": ["export"]}}
    assert opened(export, action="export") == []
    assert opened(export, opens(on=["page:diary"]), action="export") == ["diary"]


def test_a_limit_alone_opens_nothing() -> None:
    assert opened(closes(on=["page:diary"])) == []


def test_10_4_pages_are_made_on_shelves_a_grant_names_and_no_limit_denies() -> None:
    create = {"pages": {"actions": ["create"]}}
    assert opened(create, action="create") == ["money", "work"]
    assert opened({"pages": {"actions": ["create"], "on": ["shelf:work"]}}, action="create") == ["work"]
    assert opened(create, closes(on=["shelf:money"]), action="create") == ["work"]
    assert opened(create, {"kind": "limit", "pages": {"actions": ["create"], "where": "page.shelf = 'work'"}}, action="create") == ["money"]


def test_10_4_a_page_to_be_has_no_name_owner_or_tags() -> None:
    for where in ("page.name <> 'x'", "page.owner <> 'x'", "'monthly' IN page.tags"):
        assert opened({"pages": {"actions": ["create"], "where": where}}, action="create") is None
    assert opened({"pages": {"actions": ["create"], "where": "'monthly' NOT IN page.tags"}}, action="create") == ["money", "work"]
