"""People: what reaches them, and changes that act at once."""

from typing import Any

import pytest

from moorland.server.directory.models import Account
from tests.server.conftest import Session, each


def card(boss: Session, login: str = "ann") -> dict[str, Any]:
    found: dict[str, Any] = boss.ok("GET", f"people/{login}")
    return found


def change(boss: Session, login: str = "ann", *, only_try: bool = False, **body: Any) -> list[dict[str, Any]]:
    version = card(boss, login)["version"]
    found: list[dict[str, Any]] = each(boss.ok("PATCH", f"people/{login}{'?try=true' if only_try else ''}", {"version": version, **body})["viewers"])
    return found


def test_the_card_tells_groups_by_path_attributes_by_place_and_roles_by_way(boss: Session) -> None:
    found = card(boss)
    assert found["groups"] == [{"name": "stewards", "label": "stewards", "path": ["stewards"], "direct": True}]
    areas = found["attributes"][0]
    assert (areas["values"], [(rung["kind"], rung["decides"]) for rung in areas["ladder"]]) == (["fell"], [("own", True)])
    assert [(role["name"], role["paths"][0]["groups"]) for role in found["roles"]] == [("steward", ["stewards"])]
    assert (found["pages"], found["nothing"]) == (["output"], None)
    assert [(table["table"], table["visible"]) for table in found["shares"]["m"]["tables"]] == [("site", 2), ("run", 2)]


def test_a_secret_attribute_is_not_on_the_card(boss: Session) -> None:
    assert [item["definition"]["name"] for item in card(boss)["attributes"]] == ["areas"]


@pytest.mark.parametrize(("login", "words"), [("bob", "holds no role"), ("off", "is disabled")])
def test_the_card_says_why_somebody_sees_nothing(boss: Session, login: str, words: str) -> None:
    assert words in card(boss, login)["nothing"]


def test_an_unknown_person_is_a_sentence(boss: Session) -> None:
    status, answer = boss.call("GET", "people/nobody")
    assert (status, answer["error"]["message"]) == (404, "There is no user named nobody.")


def test_membership_acts_at_once_and_shows_who_gains(boss: Session) -> None:
    tried = change(boss, "bob", only_try=True, join=["stewards"], attributes={"areas": ["marsh"]})
    assert [(table["table"], table["gained"]) for table in tried[0]["tables"]] == [("site", 1), ("run", 1)]
    assert card(boss, "bob")["groups"] == []
    change(boss, "bob", join=["stewards"], attributes={"areas": ["marsh"]})
    assert [group["name"] for group in card(boss, "bob")["groups"]] == ["stewards"]
    assert card(boss, "bob")["shares"]["m"]["tables"][0]["visible"] == 1


def test_leaving_a_group_takes_its_roles_away_at_once(boss: Session) -> None:
    assert change(boss, leave=["stewards"])[0]["tables"][0]["lost"] == 2
    assert card(boss)["roles"] == []


def test_an_attribute_can_be_set_and_cleared(boss: Session) -> None:
    change(boss, attributes={"areas": ["marsh", "fell"]})
    assert card(boss)["attributes"][0]["values"] == ["marsh", "fell"]
    change(boss, attributes={"areas": None})
    assert card(boss)["attributes"][0]["values"] is None


@pytest.mark.parametrize(
    ("body", "status"),
    [
        ({"attributes": {"areas": "fell"}}, 422),
        ({"attributes": {"areas": [5]}}, 422),
        ({"attributes": {"nothing": 1}}, 422),
        ({"join": ["nowhere"]}, 404),
        ({"organization": "nowhere"}, 404),
        ({"name": ""}, 400),
    ],
)
def test_a_change_that_cannot_be_is_refused_and_nothing_changes(boss: Session, body: dict[str, Any], status: int) -> None:
    before = card(boss)
    assert boss.call("PATCH", "people/ann", {"version": before["version"], **body})[0] == status
    assert card(boss) == before


def test_a_change_of_an_older_version_is_refused(boss: Session) -> None:
    change(boss, name="Anne")
    assert boss.error("PATCH", "people/ann", {"version": 1, "name": "Anna"}) == (409, "stale")


def test_nobody_locks_themselves_out(boss: Session) -> None:
    assert boss.error("PATCH", "people/boss", {"version": 1, "enabled": False}) == (422, "invalid")


def test_the_list_tells_roles_and_direct_groups(boss: Session) -> None:
    people = {person["login"]: person for person in boss.ok("GET", "people")["people"]}
    assert list(people) == ["ann", "bob", "boss", "off"]
    assert (people["ann"]["groups"], people["off"]["enabled"]) == (["stewards"], False)
    assert boss.ok("GET", "directory/held") == {"labels": {"all": "all", "steward": "Steward"}, "held": {"ann": ["steward"], "boss": ["all"]}}


def test_identities_are_unique_without_letter_case(workspace: None) -> None:
    from django.db import IntegrityError

    with pytest.raises(IntegrityError):
        Account.objects.create_account("ANN ", "Somebody else")
