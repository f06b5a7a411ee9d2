"""Releases: reviewed, made once, immutable; and the trail that keeps them."""

import io
import zipfile
from pathlib import Path

import pytest

from moorland.core.bundle.reading import read_folder
from moorland.server.releases.models import Release
from moorland.server.trail.models import Entry, record
from tests.server.conftest import Session, each, steward, with_where
from tests.server.duties import Sessions, given


def edit(boss: Session, where: str = "area = 'marsh'") -> None:
    role, version = steward(boss)
    boss.ok("PUT", "roles/steward", {"role": with_where(role, where), "version": version})


def test_the_review_tells_what_changed_and_who_gains_and_loses(boss: Session) -> None:
    edit(boss)
    pending = boss.ok("GET", "releases/pending")
    assert [(change["kind"], change["name"], change["change"]) for change in pending["changes"]] == [("roles", "steward", "changed")]
    assert pending["changes"][0]["differences"][0]["after"]["rows"]["where"] == "area = 'marsh'"
    assert [(viewer["login"], viewer["tables"][0]["gained"], viewer["tables"][0]["lost"]) for viewer in each(pending["viewers"])] == [("ann", 1, 2)]


def test_a_release_is_live_at_once_and_in_the_history(boss: Session) -> None:
    edit(boss)
    made = boss.ok("POST", "releases", {"hash": boss.ok("GET", "releases/pending")["hash"], "note": "marsh season"})
    assert (made["number"], made["by"], made["note"]) == (2, "boss", "marsh season")
    assert boss.ok("GET", "state") == {
        "changes": 0,
        "live": 2,
        "models": [{"name": "m", "label": "The model"}],
        "as_of": boss.ok("GET", "state")["as_of"],
        "trail_broken": None,
    }
    assert [entry["number"] for entry in boss.ok("GET", "releases")["releases"]] == [2, 1]
    assert boss.ok("GET", "releases/2")["changes"][0]["name"] == "steward"


def test_a_draft_that_changed_during_the_review_is_not_released(boss: Session) -> None:
    edit(boss)
    reviewed = boss.ok("GET", "releases/pending")["hash"]
    edit(boss, "TRUE")
    assert boss.error("POST", "releases", {"hash": reviewed}) == (409, "stale")
    assert boss.ok("GET", "state")["live"] == 1


def test_there_is_nothing_to_release_without_a_change(boss: Session) -> None:
    pending = boss.ok("GET", "releases/pending")
    assert (pending["changes"], pending["viewers"]) == ([], [])
    assert boss.error("POST", "releases", {"hash": pending["hash"]}) == (409, "nothing_to_release")


def test_a_release_cannot_be_changed(boss: Session) -> None:
    release = Release.objects.get(number=1)
    release.note = "another"
    with pytest.raises(ValueError, match="cannot be changed"):
        release.save()


def test_equal_drafts_have_equal_hashes(boss: Session) -> None:
    before = boss.ok("GET", "releases/pending")["hash"]
    edit(boss)
    assert boss.ok("GET", "releases/pending")["hash"] != before
    edit(boss, "area IN viewer.areas")
    assert boss.ok("GET", "releases/pending")["hash"] == before


def test_the_trail_is_read_newest_first_and_in_pieces(boss: Session) -> None:
    for number in range(205):
        record("boss", "change", f"number {number}")
    first = boss.ok("GET", "trail")
    assert (first["more"], first["entries"][0]["subject"], len(first["entries"])) == (True, "number 204", 200)
    rest = boss.ok("GET", f"trail?before={first['entries'][-1]['id']}")
    assert (rest["more"], rest["entries"][0]["subject"]) == (False, "number 4")


def test_a_password_is_nowhere_in_the_trail(boss: Session) -> None:
    boss.error("POST", "session", {"login": "ann", "password": "my mistyped secret"})
    assert not [entry for entry in Entry.objects.all() if "mistyped" in str(entry.content())]


def test_the_published_openapi_document_is_that_of_the_server() -> None:
    from pathlib import Path

    from moorland.server.openapi import openapi_document

    assert (Path(__file__).parents[2] / "docs" / "openapi.json").read_text("utf-8") == openapi_document()


def test_a_wrong_password_is_in_the_trail_by_account_and_an_unknown_login_is_not_kept(boss: Session) -> None:
    boss.error("POST", "session", {"login": "ann", "password": "wrong"})
    boss.error("POST", "session", {"login": "perhaps a password", "password": "wrong"})
    assert [entry.actor for entry in Entry.objects.filter(action="sign-in refused")] == ["somebody unknown", "ann"]


def second_change(boss: Session, name: str = "more") -> None:
    """Adds a role to the draft beside the edit of the steward."""
    role = {"name": name, "kind": "grant", "model": "m", "sentences": [{"rows": {"table": "site", "where": "area = 'fell'"}}]}
    boss.ok("POST", "roles", {"role": role})


def chosen(*names: str) -> list[dict[str, str]]:
    return [{"kind": "roles", "name": name} for name in names]


def test_chosen_changes_are_released_alone_and_the_others_stay_in_the_draft(boss: Session) -> None:
    edit(boss)
    second_change(boss)
    pending = boss.ok("POST", "releases/pending", {"chosen": chosen("more")})
    assert [item["name"] for item in pending["changes"]] == ["more"] and pending["viewers"] == []
    boss.ok("POST", "releases", {"hash": pending["hash"], "chosen": chosen("more")})
    assert [item["name"] for item in boss.ok("GET", "releases/pending")["changes"]] == ["steward"]
    assert boss.ok("GET", "state")["changes"] == 1


def test_what_a_chosen_change_depends_on_is_named_where_it_is_left_out(boss: Session) -> None:
    boss.ok("PUT", "shelves/new", {"shelf": {"name": "new"}})
    boss.ok("PUT", "pages/page", {"page": {"name": "page", "shelf": "new", "model": "m"}})
    code, told = boss.call("POST", "releases/pending", {"chosen": [{"kind": "pages", "name": "page"}]})
    assert (code, told["error"]["code"]) == (422, "depends")
    assert told["error"]["message"] == "What is chosen depends on new (shelve added), which is left out. Choose it, too."


def test_a_change_the_draft_does_not_make_cannot_be_chosen(boss: Session) -> None:
    assert boss.error("POST", "releases/pending", {"chosen": chosen("steward")}) == (409, "stale")


def test_two_releases_are_compared_and_an_earlier_one_is_returned_to(boss: Session) -> None:
    edit(boss)
    boss.ok("POST", "releases", {"hash": boss.ok("GET", "releases/pending")["hash"]})
    compared = boss.ok("GET", "releases/compared?before=1&after=2")
    assert [item["name"] for item in compared["changes"]] == ["steward"]
    assert [(viewer["login"], viewer["tables"][0]["gained"], viewer["tables"][0]["lost"]) for viewer in each(compared["viewers"])] == [("ann", 1, 2)]
    boss.ok("POST", "releases/1/return")
    assert [item["name"] for item in boss.ok("GET", "releases/pending")["changes"]] == ["steward"]
    assert boss.ok("GET", "releases/compared?before=1&after=draft")["changes"] == []
    assert boss.error("GET", "releases/compared?before=9&after=draft") == (404, "not_found")


def test_a_role_deleted_since_comes_back_by_returning(boss: Session) -> None:
    _, version = steward(boss)
    boss.ok("DELETE", f"roles/steward?version={version}")
    boss.ok("POST", "releases", {"hash": boss.ok("GET", "releases/pending")["hash"]})
    boss.ok("POST", "releases/1/return")
    assert "steward" in [entry["role"]["name"] for entry in boss.ok("GET", "roles")["roles"]]


@pytest.fixture
def second(boss: Session, as_user: Sessions) -> Session:
    """Bob may release, and everything needs a second person."""
    given("bob", ["release", "look-values", "roles"])
    boss.ok("PUT", "settings/workspace", {"name": "w", "time_zone": "UTC", "second_person": ["*"]})
    edit(boss)
    return as_user("bob")


def asked(boss: Session) -> int:
    made: int = boss.ok("POST", "releases/asked", {"hash": boss.ok("GET", "releases/pending")["hash"], "note": "please"})["id"]
    return made


def test_a_second_person_approves_what_another_asked_for(boss: Session, second: Session) -> None:
    assert boss.error("POST", "releases", {"hash": boss.ok("GET", "releases/pending")["hash"]}) == (409, "second_person")
    number = asked(boss)
    assert boss.error("POST", f"releases/asked/{number}") == (403, "own")
    made = second.ok("POST", f"releases/asked/{number}")
    assert (made["by"], made["asked_by"], made["note"]) == ("bob", "boss", "please")
    assert boss.ok("GET", "releases/pending")["asked"] is None


def test_content_that_changed_since_it_was_asked_for_is_not_approved(boss: Session, second: Session) -> None:
    number = asked(boss)
    edit(boss, "TRUE")
    assert boss.ok("GET", "releases/pending")["asked"]["stale"] is True
    assert second.error("POST", f"releases/asked/{number}") == (409, "stale")
    assert boss.ok("GET", "state")["live"] == 1


def test_one_release_waits_at_a_time_and_can_be_declined(boss: Session, second: Session) -> None:
    number = asked(boss)
    assert second.error("POST", "releases/asked", {"hash": boss.ok("GET", "releases/pending")["hash"]}) == (409, "waiting")
    second.ok("DELETE", f"releases/asked/{number}")
    assert boss.ok("GET", "releases/pending")["asked"] is None


def test_a_release_is_downloaded_as_a_bundle_that_checks_out(boss: Session, tmp_path: Path) -> None:
    packed = boss.client.get("/api/releases/1/bundle")
    with zipfile.ZipFile(io.BytesIO(packed.content)) as opened:
        opened.extractall(tmp_path / "bundle")
    assert [role.name for role in read_folder(tmp_path / "bundle").roles] == [item["role"]["name"] for item in boss.ok("GET", "roles")["roles"]]
