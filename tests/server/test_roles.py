"""Roles of the draft: saved, refused, renamed, deleted; mapped at once."""

from typing import Any

import pytest

from moorland.server.policies.models import Role
from moorland.server.trail.models import Entry
from tests.server.conftest import Session, each, steward, with_where


def sites_of(boss: Session, login: str, state: str = "draft") -> int | None:
    answer = boss.ok("POST", "evaluate", {"state": state, "viewers": [login], "ask": [{"rows": {"model": "m", "table": "site", "columns": ["id"]}}]})
    found: int | None = answer["viewers"][0]["answers"][0].get("visible")
    return found


def test_a_saved_edit_is_in_the_draft_and_not_live(boss: Session) -> None:
    role, version = steward(boss)
    boss.ok("PUT", "roles/steward", {"role": with_where(role, "area = 'marsh'"), "version": version})
    assert (sites_of(boss, "ann"), sites_of(boss, "ann", "live")) == (1, 2)
    assert boss.ok("GET", "state")["changes"] == 1


def test_a_wrong_condition_is_refused_with_its_place_and_nothing_is_saved(boss: Session) -> None:
    role, version = steward(boss)
    status, answer = boss.call("PUT", "roles/steward", {"role": with_where(role, "aera IN viewer.areas"), "version": version})
    (problem,) = answer["error"]["problems"]
    assert (status, problem["path"], problem["start"], problem["end"], problem["nearest"]) == (422, "sentences[0].rows.where", 0, 4, "area")
    assert steward(boss)[0] == role


def test_a_stale_save_is_refused_with_what_is_there_now(boss: Session) -> None:
    role, version = steward(boss)
    boss.ok("PUT", "roles/steward", {"role": with_where(role, "area = 'marsh'"), "version": version})
    status, answer = boss.call("PUT", "roles/steward", {"role": with_where(role, "area = 'fell'"), "version": version})
    assert (status, answer["error"]["code"]) == (409, "stale")
    assert answer["error"]["current"]["role"]["sentences"][0]["rows"]["where"] == "area = 'marsh'"


def test_saving_what_is_there_changes_nothing(boss: Session) -> None:
    role, version = steward(boss)
    assert boss.ok("PUT", "roles/steward", {"role": role, "version": version})["version"] == version
    assert boss.ok("GET", "state")["changes"] == 0


def test_mappings_follow_a_renamed_role(boss: Session) -> None:
    role, version = steward(boss)
    saved = boss.ok("PUT", "roles/steward", {"role": {**role, "name": "keeper"}, "version": version})
    assert saved["people"] == 1
    assert [holder["login"] for holder in boss.ok("GET", "roles/keeper/holders")["holders"]] == ["ann"]
    assert (sites_of(boss, "ann"), sites_of(boss, "ann", "live")) == (2, 2)
    assert boss.error("PUT", "roles/steward", {"role": role, "version": version}) == (404, "not_found")


@pytest.mark.parametrize("name", ["all", "steward"])
def test_two_roles_cannot_have_one_name(boss: Session, name: str) -> None:
    assert boss.error("POST", "roles", {"role": {"name": name, "kind": "grant", "model": "m", "sentences": []}}) == (422, "invalid")


def test_renaming_to_a_name_that_is_taken_is_refused(boss: Session) -> None:
    role, version = steward(boss)
    assert boss.error("PUT", "roles/steward", {"role": {**role, "name": "all"}, "version": version}) == (422, "invalid")


def test_a_deleted_role_stays_live_until_released_and_can_be_restored(boss: Session) -> None:
    _, version = steward(boss)
    boss.ok("DELETE", f"roles/steward?version={version}")
    assert (sites_of(boss, "ann"), sites_of(boss, "ann", "live")) == (None, 2)
    assert boss.ok("GET", "roles")["deleted"] == [{"name": "steward", "label": "Steward"}]
    boss.ok("POST", "roles/steward/restore")
    assert sites_of(boss, "ann") == 2
    assert boss.ok("GET", "state")["changes"] == 0


def test_a_deletion_of_an_older_version_is_refused(boss: Session) -> None:
    role, version = steward(boss)
    boss.ok("PUT", "roles/steward", {"role": with_where(role, "TRUE"), "version": version})
    assert boss.error("DELETE", f"roles/steward?version={version}") == (409, "stale")


def test_a_deleted_role_is_gone_after_the_release(boss: Session) -> None:
    boss.ok("DELETE", f"roles/steward?version={steward(boss)[1]}")
    boss.ok("POST", "releases", {"hash": boss.ok("GET", "releases/pending")["hash"]})
    assert not Role.objects.filter(name="steward").exists()
    assert sites_of(boss, "ann", "live") is None


def test_a_name_that_was_deleted_but_is_live_cannot_be_taken(boss: Session) -> None:
    role, version = steward(boss)
    boss.ok("DELETE", f"roles/steward?version={version}")
    status, answer = boss.call("POST", "roles", {"role": role})
    assert (status, "Restore it" in answer["error"]["message"]) == (422, True)


def test_mapping_acts_at_once_on_live_and_shows_who_gains(boss: Session) -> None:
    body = {"add": [{"user": "bob"}]}
    tried = each(boss.ok("POST", "roles/all/assignments?try=true", body)["viewers"])
    assert sites_of(boss, "bob", "live") is None
    assert [(item["login"], item["tables"][0]["gained"]) for item in tried] == [("bob", 3)]
    assert each(boss.ok("POST", "roles/all/assignments", body)["viewers"]) == tried
    assert sites_of(boss, "bob", "live") == 3


def test_taking_a_mapping_away_acts_at_once(boss: Session) -> None:
    entry = next(item for item in boss.ok("GET", "roles")["roles"] if item["role"]["name"] == "steward")
    path = f"roles/steward/assignments/{entry['assignments'][0]['id']}"
    assert [item["login"] for item in each(boss.ok("DELETE", f"{path}?try=true")["viewers"])] == ["ann"]
    assert sites_of(boss, "ann", "live") == 2
    boss.ok("DELETE", path)
    assert sites_of(boss, "ann", "live") is None


@pytest.mark.parametrize(
    ("assignment", "status"),
    [
        ({"user": "anne"}, 422),
        ({"group": "nobody"}, 422),
        ({"when": "viewer.area = 'x'"}, 422),
        ({"group": "stewards"}, 422),
        ({"user": "bob", "group": "others"}, 400),
        ({"user": "bob", "from": "2026-02-02", "until": "2026-02-01"}, 400),
        ({"user": "bob", "from": "soon"}, 400),
    ],
)
def test_a_mapping_that_cannot_be_is_refused(boss: Session, assignment: dict[str, Any], status: int) -> None:
    assert boss.call("POST", "roles/steward/assignments", {"add": [assignment]})[0] == status


def test_a_mapping_by_condition_reaches_those_for_whom_it_is_true(boss: Session) -> None:
    boss.ok("POST", "roles/all/assignments", {"add": [{"when": "'fell' IN viewer.areas"}]})
    entry = next(item for item in boss.ok("GET", "roles")["roles"] if item["role"]["name"] == "all")
    assert [item["people"] for item in entry["assignments"]] == [1, 1]
    assert sites_of(boss, "ann", "live") == 3


def test_every_change_is_in_the_trail(boss: Session) -> None:
    role, version = steward(boss)
    boss.ok("PUT", "roles/steward", {"role": with_where(role, "TRUE"), "version": version})
    boss.ok("POST", "roles/all/assignments", {"add": [{"user": "bob"}]})
    boss.ok("DELETE", f"roles/steward?version={version + 1}")
    actions = list(Entry.objects.filter(actor="boss").exclude(action="look").values_list("action", "subject"))
    assert actions[:3] == [("delete role", "steward"), ("map role", "all"), ("change role", "steward")]
