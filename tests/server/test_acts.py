"""Every change to people, groups, organizations and attributes shows gain and loss, acts at once and is in the trail."""

from collections.abc import Callable
from typing import Any

import pytest

from moorland.core.bundle.duties import ACTS
from moorland.server import evaluating
from moorland.server.directory.models import Account, Invitation
from tests.server.conftest import PASSWORD, Session, each


def act(session: Session, **asked: Any) -> list[dict[str, Any]]:
    viewers: list[dict[str, Any]] = each(session.ok("POST", "acts", asked)["viewers"])
    return viewers


def refused(session: Session, **asked: Any) -> str:
    status, answer = session.call("POST", "acts", asked)
    assert status in (404, 409, 422), (status, answer)
    return str(answer["error"]["message"])


def person(session: Session, login: str) -> dict[str, Any]:
    return next(item for item in session.ok("GET", "people")["people"] if item["login"] == login)


def test_a_try_changes_nothing_and_the_act_does(boss: Session) -> None:
    asked = {"change_people": {"logins": ["bob"], "join": ["stewards"], "attributes": {"areas": ["marsh"]}}}
    tried = each(boss.ok("POST", "acts?try=true", asked)["viewers"])
    assert person(boss, "bob")["groups"] == []
    assert each(boss.ok("POST", "acts", asked)["viewers"]) == tried
    assert [(viewer["login"], [(table["table"], table["gained"]) for table in viewer["tables"]]) for viewer in tried] == [("bob", [("site", 1), ("run", 1)])]
    assert person(boss, "bob")["groups"] == ["stewards"]
    assert boss.ok("GET", "trail")["entries"][0]["action"] == "change people"


def test_many_people_change_together_or_not_at_all(boss: Session) -> None:
    assert "There is no user named nobody" in refused(boss, change_people={"logins": ["ann", "nobody"], "enabled": False})
    assert person(boss, "ann")["enabled"]
    act(boss, change_people={"logins": ["ann", "bob"], "enabled": False})
    assert not person(boss, "ann")["enabled"] and not person(boss, "bob")["enabled"]


def test_a_new_person_is_told_apart_without_letter_case(boss: Session) -> None:
    act(boss, add_person={"login": "cy", "name": "Cy", "email": "cy@x.example", "groups": ["stewards"], "attributes": {"areas": ["fell"]}})
    assert "taken by Cy" in refused(boss, add_person={"login": "CY", "name": "Other"})
    assert "belongs to Cy" in refused(boss, add_person={"login": "other", "name": "Other", "email": "CY@x.example"})


def test_taking_somebody_away_shows_what_is_lost(boss: Session) -> None:
    viewers = act(boss, delete_people={"logins": ["ann"]})
    assert [(viewer["login"], [(table["table"], table["lost"]) for table in viewer["tables"]]) for viewer in viewers] == [("ann", [("site", 2), ("run", 2)])]
    assert not Account.objects.filter(login="ann").exists()


def test_nobody_deletes_or_disables_themselves(boss: Session) -> None:
    assert "your own account" in refused(boss, delete_people={"logins": ["boss"]})
    assert "your own account" in refused(boss, change_people={"logins": ["boss"], "enabled": False})


def test_what_hangs_on_somebody_is_told(boss: Session) -> None:
    things = boss.ok("GET", "people/ann/owns")["things"]
    assert ("group", "stewards") in [(item["kind"], item["name"]) for item in things]
    assert "sign-in" in [item["kind"] for item in things]


def test_a_circle_of_groups_is_refused_with_its_path(boss: Session) -> None:
    act(boss, move_group={"name": "others", "into": "stewards"})
    assert "The groups form a cycle: others → stewards → others." in refused(boss, move_group={"name": "stewards", "into": "others"})


def test_a_group_in_a_group_takes_its_access_along(boss: Session) -> None:
    act(boss, save_group={"name": "others", "version": 1, "add_users": ["bob"], "attributes": {"areas": ["fell"]}})
    viewers = act(boss, move_group={"name": "others", "into": "stewards"})
    assert [viewer["login"] for viewer in viewers] == ["bob"]


def test_a_stale_group_is_refused(boss: Session) -> None:
    act(boss, save_group={"name": "stewards", "version": 1, "label": "Stewards"})
    assert "Somebody changed the group stewards" in refused(boss, save_group={"name": "stewards", "version": 1, "label": "Other"})


def test_a_value_locked_on_an_organization_reaches_below(boss: Session) -> None:
    viewers = act(boss, save_organization={"name": "root", "version": 1, "attributes": {"areas": {"value": ["marsh"], "locked": True}}})
    assert [(viewer["login"], [(table["table"], table["gained"], table["lost"]) for table in viewer["tables"]]) for viewer in viewers] == [
        ("ann", [("site", 1, 2), ("run", 1, 2)])
    ]


def test_an_organization_with_people_stays(boss: Session) -> None:
    assert "holds 1 people" in refused(boss, delete_organization={"name": "leaf"})


def test_organizations_make_no_circle(boss: Session) -> None:
    act(boss, save_organization={"name": "twig", "parent": "leaf"})
    assert "cycle" in refused(boss, save_organization={"name": "leaf", "version": 1, "parent": "twig"})


def test_an_attribute_that_a_sentence_reads_is_kept(boss: Session) -> None:
    assert "viewer.areas is read by Steward" in refused(boss, delete_attribute={"name": "areas"})
    act(boss, delete_attribute={"name": "code"})
    assert [item["name"] for item in boss.ok("GET", "people")["attributes"]] == ["areas"]


def test_a_secret_value_is_written_and_never_read_back(boss: Session) -> None:
    act(boss, change_people={"logins": ["bob"], "attributes": {"code": 4711}})
    act(boss, save_group={"name": "others", "version": 1, "attributes": {"code": 4712}})
    places = ["trail", "people/bob", "groups/others", "people/bob/copying", "people"]
    assert not [path for path in places if "471" in str(boss.ok("GET", path))]
    assert "471" not in boss.client.get("/api/directory/export").content.decode()


def test_an_attribute_keeps_a_type_its_sentences_can_use(boss: Session) -> None:
    definition = {"name": "areas", "type": "integer", "multiple": True}
    status, answer = boss.call("POST", "acts", {"save_attribute": {"definition": definition, "version": 1}})
    assert (status, answer["error"]["code"]) == (422, "invalid")


def test_copying_leaves_dated_and_secret_access_marked(boss: Session) -> None:
    boss.ok("POST", "roles/all/assignments", {"add": [{"user": "ann", "from": "2026-01-01", "until": "2030-01-01"}]})
    items = boss.ok("GET", "people/ann/copying")["items"]
    assert [(item["kind"], item["name"], item["dated"]) for item in items] == [
        ("group", "stewards", False),
        ("attribute", "areas", False),
        ("role", "all", True),
    ]


def test_a_one_time_link_works_once(boss: Session, as_user: Callable[[str | None], Session]) -> None:
    act(boss, add_person={"login": "cy", "name": "Cy"})
    token = boss.ok("POST", "people/cy/invitation")["path"].partition("#")[2]
    assert token not in str(list(Invitation.objects.values()))
    nobody = as_user(None)
    assert nobody.error("POST", "session/welcome", {"token": token, "password": "short"}) == (422, "weak_password")
    assert nobody.ok("POST", "session/welcome", {"token": token, "password": PASSWORD})["account"]["login"] == "cy"
    assert as_user(None).error("POST", "session/welcome", {"token": token, "password": PASSWORD}) == (422, "no_such_link")
    assert as_user("cy").ok("GET", "session")["account"]["login"] == "cy"


@pytest.mark.django_db
def test_a_new_workspace_is_set_up_with_the_printed_link() -> None:
    from moorland.server.directory.invitations import setup_link

    evaluating._evaluators.clear()
    link = setup_link()
    assert link is not None
    token = link.partition("#setup.")[2]
    asked = {"token": token, "workspace": "New", "login": "first", "name": "First", "password": PASSWORD}
    nobody = Session(None)
    assert nobody.error("POST", "session/set-up", {**asked, "token": "guess"}) == (422, "no_such_link")
    assert nobody.ok("POST", "session/set-up", asked)["account"]["everywhere"] == list(ACTS)
    assert nobody.ok("GET", "state")["models"] == []
    assert Session(None).error("POST", "session/set-up", asked) == (409, "set_up")
    assert setup_link() is None
