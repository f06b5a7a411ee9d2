"""Signing in: nobody guesses, nobody is shut out, and somebody can always let others in."""

import json
import os
import stat
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from django.contrib.sessions.models import Session as StoredSession
from django.test import Client
from typer.testing import CliRunner

from moorland.cli import app
from moorland.core.bundle.duties import ACTS
from moorland.server.directory import throttling
from moorland.server.directory.models import Account
from moorland.server.keys import kept_secret, open_to_others
from moorland.server.trail.models import Entry
from tests.server.conftest import PASSWORD, Session


def tried(login: str, password: str = "wrong password", address: str = "10.0.0.1") -> int:
    body = json.dumps({"login": login, "password": password})
    return Client(REMOTE_ADDR=address).post("/api/session", body, content_type="application/json").status_code


def test_every_spelling_of_a_login_counts_as_the_same_account(workspace: None) -> None:
    spellings = ["ann", "ANN", " ann", "ann ", "Ann", "aNn", " ANN ", "anN"]
    assert [tried(login) for login in spellings][:7] == [401] * 7
    assert tried("AnN", PASSWORD) == 429
    assert tried("bob", PASSWORD) == 200


def test_an_address_that_tries_many_accounts_has_to_wait(workspace: None, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(throttling, "MOST_FROM_ADDRESS", 5)
    assert [tried(f"nobody{number}") for number in range(6)] == [401] * 5 + [429]
    assert tried("ann", PASSWORD) == 429
    assert tried("ann", PASSWORD, "10.0.0.2") == 200


def test_a_network_of_addresses_counts_as_one(workspace: None, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(throttling, "MOST_FROM_ADDRESS", 3)
    assert [tried(f"nobody{number}", address=f"2001:db8::{number}") for number in range(4)] == [401] * 3 + [429]


def test_guesses_from_everywhere_do_not_shut_somebody_out_of_where_they_always_sign_in(workspace: None, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(throttling, "MOST_FOR_ACCOUNT", 4)
    assert tried("ann", PASSWORD, "10.9.9.9") == 200
    assert [tried("ann", address=f"10.0.0.{number}") for number in range(5)] == [401] * 4 + [429]
    assert tried("ann", PASSWORD, "10.0.0.77") == 429
    assert tried("ann", PASSWORD, "10.9.9.9") == 200


@pytest.mark.parametrize("password", ["          ", "aaaaaaaaaaaa", "1234567890", "ann at leaf", "password1234", "ababababab"])
def test_a_weak_password_is_refused(as_user: Callable[[str | None], Session], password: str) -> None:
    status, code = as_user("ann").error("PUT", "session/password", {"present": PASSWORD, "password": password if password != "ann at leaf" else "Ann Ann Ann"})
    assert (status, code) == (422, "weak_password")


def test_changing_ones_password_ends_the_other_sessions(as_user: Callable[[str | None], Session]) -> None:
    here, elsewhere = as_user("ann"), as_user("ann")
    assert here.error("PUT", "session/password", {"present": "not this", "password": "a good enough one"}) == (422, "wrong_password")
    here.ok("PUT", "session/password", {"present": PASSWORD, "password": "a good enough one"})
    assert here.ok("GET", "session")["account"]["login"] == "ann"
    assert elsewhere.ok("GET", "session")["account"] is None
    assert Entry.objects.filter(action="change password", actor="ann").count() == 1


def test_what_the_database_holds_of_a_session_is_no_key_to_it(as_user: Callable[[str | None], Session]) -> None:
    session = as_user("ann")
    cookie = session.client.cookies["moorland_session"].value
    stored = list(StoredSession.objects.values_list("session_key", flat=True))
    assert cookie not in stored
    for key in stored:
        thief = Client()
        thief.cookies["moorland_session"] = key
        assert thief.get("/api/session").json()["account"] is None


LAST = (422, "last_keeper")


@pytest.mark.parametrize(
    "act",
    [
        {"change_people": {"logins": ["boss"], "enabled": False}},
        {"delete_people": {"logins": ["boss"]}},
    ],
)
def test_the_last_keeper_stays_by_every_act(boss: Session, act: dict[str, Any]) -> None:
    for address in ("acts?try=true", "acts"):
        status, code = boss.error("POST", address, act)
        assert (status, code) in (LAST, (422, "invalid"))
    assert Account.objects.filter(login="boss", enabled=True, duties__isnull=False).exists()


def test_the_last_keeper_stays_when_duties_are_taken_or_changed(boss: Session) -> None:
    (entry,) = boss.ok("GET", "duties")["duties"]
    assert boss.error("DELETE", f"duties/{entry['id']}?version={entry['version']}") == LAST
    less = {**entry["duty"], "acts": ["people"]}
    assert boss.error("PUT", f"duties/{entry['id']}", {"duty": less, "version": entry["version"]}) == LAST
    over = {**entry["duty"], "until": "2020-01-01"}
    assert boss.error("PUT", f"duties/{entry['id']}", {"duty": over, "version": entry["version"]}) == LAST


def test_another_keeper_can_be_named_and_then_take_the_first_ones_place(boss: Session, as_user: Callable[[str | None], Session]) -> None:
    keeper = {**boss.ok("GET", "duties")["duties"][0]["duty"], "user": "ann", "reason": "on leave"}
    boss.ok("POST", "duties", {"duty": keeper})
    ann = as_user("ann")
    assert ann.ok("GET", "session")["account"]["everywhere"] == list(ACTS)
    ann.ok("POST", "acts", {"change_people": {"logins": ["boss"], "enabled": False}})
    own = next(entry for entry in ann.ok("GET", "duties")["duties"] if entry["duty"]["user"] == "ann")
    assert ann.error("DELETE", f"duties/{own['id']}?version=1") == LAST


def test_the_last_keeper_is_not_imported_away(boss: Session) -> None:
    for line in ("boss,no,person", "boss,yes,service"):
        body = f"login,enabled,kind\n{line}\n".encode()
        upload = json.loads(boss.client.post("/api/uploads?name=a.csv", body, content_type="application/octet-stream").content)["id"]
        asked = {"upload": upload, "reading": {"format": "csv"}, "kind": "people", "columns": {"login": 0, "enabled": 1, "kind": 2}}
        assert boss.error("POST", "directory/import?try=true", asked) == LAST
        assert boss.error("POST", "directory/import", asked) == LAST


def test_the_keeper_of_the_machine_lets_somebody_back_in(workspace: None, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("moorland.commands.workspace.set_up_django", lambda: None)
    made = CliRunner().invoke(app, ["account", "new.keeper", "--administrator", "--link"])
    assert made.exit_code == 0, made.output
    token = made.output.split("/welcome#")[1].split()[0]
    answer = Session(None).ok("POST", "session/welcome", {"token": token, "password": "good enough for now"})
    assert answer["account"] == {"login": "new.keeper", "name": "new.keeper", "acts": list(ACTS), "everywhere": list(ACTS)}
    acts = [(entry.actor, entry.action, entry.subject) for entry in Entry.objects.filter(actor="on the machine")]
    assert acts == [("on the machine", "invite", "new.keeper"), ("on the machine", "appoint", "new.keeper")]
    assert CliRunner().invoke(app, ["account", "nobody.here", "--link"]).exit_code == 2


@pytest.mark.parametrize("login", ["a\u200bnn", "ann\u00a0", "a\u00adnn", "\uff41nn"])
def test_a_login_that_looks_like_another_is_refused(boss: Session, login: str) -> None:
    assert boss.error("POST", "acts", {"add_person": {"login": login, "name": "Ann too"}})[1] == "invalid"


def test_the_files_of_a_workspace_are_their_owners_only(tmp_path: Path) -> None:
    old = os.umask(0o022)
    try:
        (tmp_path / "moorland.sqlite3").write_text("")
        (tmp_path / "uploads").mkdir(mode=0o755)
        assert kept_secret(tmp_path / "secret.key")
    finally:
        os.umask(old)
    assert len(open_to_others(tmp_path)) == 3 - (not stat.S_IMODE(tmp_path.stat().st_mode) & 0o077)
    assert {oct(stat.S_IMODE(path.stat().st_mode)) for path in tmp_path.iterdir()} == {"0o600", "0o700"}
    assert open_to_others(tmp_path) == []


def test_every_answer_carries_the_headers_that_protect_it(boss: Session) -> None:
    for path in ("/", "/favicon.ico", "/api/session", "/api/nothing", "/models/m"):
        headers = boss.client.get(path).headers
        assert "frame-ancestors 'none'" in headers["Content-Security-Policy"]
        assert "'unsafe-inline'" not in headers["Content-Security-Policy"].split("style-src")[0]
        assert "Access-Control-Allow-Origin" not in headers
        assert headers["X-Content-Type-Options"] == "nosniff"
