"""Promises over many people, each beside the same said person by person (bundle.md)."""

from typing import Any

import pytest

from moorland.core.bundle.problems import BundleError
from moorland.core.bundle.promises import Promise
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.promises import run_promise
from tests.core.worlds import farm, rows_role

PEOPLE: dict[str, Any] = {
    "organizations": [{"name": "root"}, {"name": "leaf", "parent": "root"}],
    "users": [
        {"login": "ann", "name": "Ann", "organization": "leaf"},
        {"login": "bob", "name": "Bob", "organization": "root"},
        {"login": "cal", "name": "Cal", "organization": "leaf"},
        {"login": "off", "name": "Off", "enabled": False},
    ],
    "groups": [{"name": "fells", "users": ["ann", "off"]}, {"name": "marshes", "users": ["bob"]}, {"name": "outer", "groups": ["fells"]}, {"name": "nobody"}],
}
FELL = rows_role("fell", "site", "area = 'fell'", assigned=[{"group": "fells"}])
MARSH = rows_role("marsh", "site", "area = 'marsh' OR area IS NULL", assigned=[{"group": "marshes"}])


def said(base: Evaluator, must: dict[str, Any], **whom: Any) -> tuple[bool, str]:
    found = run_promise(base, Promise.model_validate({"name": "p", "must": must, **whom}))
    return found.kept, found.message


@pytest.fixture(scope="module")
def base() -> Evaluator:
    """Ann sees the fell, Bob the marsh and what is nowhere; Cal nothing."""
    return farm(FELL, MARSH, **PEOPLE)


def rows(where: str) -> dict[str, Any]:
    return {"rows": {"model": "farm", "table": "site", "where": where}}


@pytest.mark.parametrize(
    ("must", "whom", "outcome"),
    [
        (
            {"rows": {"model": "farm", "table": "site", "at_least": 1}},
            {"viewers": "everyone"},
            (False, "not for cal: sees 0 rows of site; at least 1 promised"),
        ),
        ({"rows": {"model": "farm", "table": "site", "at_most": 3}}, {"viewers": "everyone"}, (True, "for all 3")),
        ({"rows": {"model": "farm", "table": "site", "count": 2}}, {"viewers": {"group": "outer"}}, (True, "for ann")),
        (
            {"rows": {"model": "farm", "table": "site", "count": 2}},
            {"viewers": {"organization": "leaf"}},
            (False, "not for cal: sees 0 rows of site; 2 promised"),
        ),
        ({"rows": {"model": "farm", "table": "site", "count": 3}}, {"viewers": {"role": "marsh"}}, (True, "for bob")),
        ({"nothing": True}, {"viewers": {"user": "cal"}}, (True, "for cal")),
        ({"nothing": True}, {"viewers": {"group": "nobody"}}, (False, "nobody is meant")),
        (
            {"only": {"subject": rows("area = 'fell'"), "people": [{"group": "fells"}]}},
            {},
            (True, "1 reach rows of site where area = 'fell', all of them meant"),
        ),
        ({"only": {"subject": rows("area = 'fell'"), "people": [{"user": "bob"}]}}, {}, (False, "ann reaches rows of site where area = 'fell'")),
        ({"only": {"subject": {"column": {"model": "farm", "column": "site.rent"}}, "people": []}}, {}, (False, "ann, bob reach site.rent in clear")),
        (
            {"only": {"subject": {"measure": {"model": "farm", "measure": "energy"}}, "people": [{"group": "outer"}, {"organization": "root"}]}},
            {},
            (True, "2 reach energy, all of them meant"),
        ),
        (
            {"never_both": [rows("area = 'fell'"), rows("area = 'marsh'")]},
            {},
            (True, "nobody reaches both rows of site where area = 'fell' and rows of site where area = 'marsh'"),
        ),
        (
            {"never_both": [rows("area = 'marsh'"), rows("area IS NULL")]},
            {},
            (False, "bob reaches both rows of site where area = 'marsh' and rows of site where area IS NULL"),
        ),
        (
            {"adds_up": {"model": "farm", "measure": "rent", "viewers": [{"group": "fells"}, {"group": "marshes"}]}},
            {},
            (True, "each of 5 rows of site counts for exactly one of 2"),
        ),
        ({"adds_up": {"model": "farm", "measure": "rent", "viewers": [{"user": "ann"}, {"user": "cal"}]}}, {}, (False, "3 count for nobody of 5 rows of site")),
        (
            {"adds_up": {"model": "farm", "measure": "rent", "viewers": [{"user": "ann"}, {"group": "outer"}, {"user": "bob"}]}},
            {},
            (False, "2 for more than one of 5 rows of site"),
        ),
        (
            {"covers": {"model": "farm", "measure": "rent", "viewers": [{"user": "ann"}, {"group": "outer"}, {"user": "bob"}]}},
            {},
            (True, "each of 5 rows of site counts for at least one of 3"),
        ),
    ],
)
def test_what_holds_over_people_is_told_in_a_sentence(base: Evaluator, must: dict[str, Any], whom: dict[str, Any], outcome: tuple[bool, str]) -> None:
    assert said(base, must, **whom) == outcome


@pytest.mark.parametrize(
    ("must", "whom", "words"),
    [
        ({"nothing": True}, {"viewers": {"group": "gone"}}, "there is no group gone"),
        ({"only": {"subject": {"page": "gone"}, "people": []}}, {}, "there is no page gone"),
        ({"only": {"subject": {"column": {"model": "farm", "column": "site.gone"}}, "people": []}}, {}, "there is no column site.gone"),
        ({"only": {"subject": rows("gone = 1"), "people": []}}, {}, "gone"),
        ({"adds_up": {"model": "farm", "measure": "gone", "viewers": [{"user": "ann"}]}}, {}, "there is no measure gone"),
    ],
)
def test_a_name_that_is_not_there_is_told(base: Evaluator, must: dict[str, Any], whom: dict[str, Any], words: str) -> None:
    with pytest.raises(BundleError) as wrong:
        said(base, must, **whom)
    assert words in wrong.value.problems[0].message


def test_a_promise_is_for_one_for_some_or_over_all_and_nothing_else() -> None:
    for wrong in (
        {"must": {"nothing": True}},
        {"viewer": "ann", "viewers": "everyone", "must": {"nothing": True}},
        {"viewer": "ann", "must": {"never_both": [rows("TRUE"), rows("TRUE")]}},
        {"viewers": {"user": "a", "group": "b"}, "must": {"nothing": True}},
    ):
        with pytest.raises(ValueError, match=r"promise|exactly one"):
            Promise.model_validate({"name": "p", **wrong})


def test_a_promise_that_reads_who_it_is_for_is_asked_of_each_however_it_is_written() -> None:
    every = farm(rows_role("all", "site", "id > 0"), **PEOPLE)
    must = {"rows": {"model": "farm", "table": "site", "where": "viewer . login = 'ann'", "at_least": 1}}
    assert said(every, must, viewers="everyone") == (False, "not for bob, cal: sees 0 rows of site where viewer . login = 'ann'; at least 1 promised")
