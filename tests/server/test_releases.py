"""Releases: reviewed, made once, immutable; and the trail that keeps them."""

import pytest

from moorland.server.releases.models import Release
from moorland.server.trail.models import Entry, record
from tests.server.conftest import Session, steward, with_where


def edit(boss: Session, where: str = "area = 'marsh'") -> None:
    role, version = steward(boss)
    boss.ok("PUT", "roles/steward", {"role": with_where(role, where), "version": version})


def test_the_review_tells_what_changed_and_who_gains_and_loses(boss: Session) -> None:
    edit(boss)
    pending = boss.ok("GET", "releases/pending")
    assert [(change["kind"], change["name"], change["change"]) for change in pending["changes"]] == [("roles", "steward", "changed")]
    assert pending["changes"][0]["differences"][0]["after"]["rows"]["where"] == "area = 'marsh'"
    assert [(viewer["login"], viewer["tables"][0]["gained"], viewer["tables"][0]["lost"]) for viewer in pending["viewers"]] == [("ann", 1, 2)]


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
