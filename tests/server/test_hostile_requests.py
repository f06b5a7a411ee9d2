"""Requests that once met an error of the server: each is answered, or refused in a sentence."""

import errno
import json
from collections.abc import Callable
from typing import Any
from unittest import mock
from urllib.parse import quote

import pytest
from django.db import OperationalError

from moorland.core.sources.exporting import as_it_was, csv_text, neutralised
from moorland.server import pricing
from moorland.server.policies.models import Role
from moorland.server.viewing import kept_answers
from tests.server.conftest import Session, steward, with_where

DEEP = "[" * 50_000 + "]" * 50_000
LONG = {"column": "site.area", "values": ["x" * 21_000]}
MANY = {"column": "site.area", "values": [f"v{number}" + "y" * 40 for number in range(500)]}


def status_of(session: Session, method: str, path: str, body: str) -> int:
    session.client.raise_request_exception = False
    return session.client.generic(method, f"/api/{path}", body, content_type="application/json").status_code


@pytest.mark.parametrize(
    ("method", "path", "body"),
    [
        ("POST", "acts", DEEP),
        ("POST", "acts", f'{{"change_people": {{"logins": ["ann"], "attributes": {{"areas": {DEEP}}}}}}}'),
        ("POST", "my/answers", f'{{"ask": {DEEP}}}'),
        ("POST", "my/answers", "{" * 70_000),
        ("POST", "evaluate", '{"viewers": [""], "ask": [{"pages": {}}]}'),
        ("POST", "evaluate", '{"viewers": [{}], "ask": [{"pages": {}}]}'),
        ("POST", "pages/output/look", '{"viewer": ""}'),
        ("POST", "acts", '{"change_people": {"logins": []}}'),
        ("POST", "acts", '{"change_people": {"logins": [], "email": "a@b"}}'),
        ("POST", "acts", '{"delete_people": {"logins": []}}'),
        ("POST", "acts", '{"add_person": {"login": "\\ud800", "name": "n"}}'),
        ("POST", "check", '{"model": "m", "table": "site", "where": "area = \'\\ud800\'", "kind": "rows"}'),
        ("DELETE", "roles/steward?version=²", ""),
        ("DELETE", f"roles/steward?version={'9' * 60}", ""),
        ("GET", f"releases/{'9' * 30}", ""),
        ("POST", "my/pages/output", json.dumps({"filters": [MANY] * 20})),
    ],
)
def test_a_request_beyond_what_it_may_be_is_refused(boss: Session, method: str, path: str, body: str) -> None:
    assert 400 <= status_of(boss, method, path, body) < 500


@pytest.mark.parametrize(
    ("method", "path", "body"),
    [
        ("POST", "my/pages/output", json.dumps({"filters": [LONG]})),
        ("POST", "my/pages/output", json.dumps({"filters": [MANY]})),
        ("POST", "my/pages/output/beneath", json.dumps({"exhibit": 2, "key": ["z" * 30_000]})),
        ("GET", "trail?before=²", ""),
        ("GET", f"trail?before={'9' * 40}", ""),
    ],
)
def test_a_request_that_is_only_unusual_is_answered(boss: Session, method: str, path: str, body: str) -> None:
    assert status_of(boss, method, path, body) == 200


@pytest.mark.parametrize("login", ["a/b", "..", ".", "a%2Fb", "a b?c#d", "ü"])
def test_a_person_of_any_login_can_be_opened(boss: Session, login: str) -> None:
    boss.ok("POST", "acts", {"add_person": {"login": login, "name": "Somebody"}})
    once_more = quote(quote(login, safe="").replace(".", "%2E"), safe="")
    assert boss.ok("GET", f"people/{once_more}")["login"] == login


@pytest.mark.parametrize("text", ["=1+1", ";=1+1", "a;=1+1", "a|@x", "x\n=1", "a; -b", "\t=1"])
def test_no_text_of_an_export_is_run_wherever_its_lines_are_split(text: str) -> None:
    line = csv_text([["first", text]])
    for separator in (",", ";", "|", "\t", "\n"):
        assert not [piece for piece in line.split(separator) if piece.strip(' "\n')[:1] in ("=", "+", "@", "-")]
    assert as_it_was(neutralised(text)) == text


def test_a_second_save_of_the_same_new_thing_is_refused(boss: Session) -> None:
    role = {"role": {"name": "fresh", "kind": "grant", "model": "m", "sentences": []}}
    shelf = {"shelf": {"name": "fresh"}}
    assignment = {"add": [{"user": "bob"}]}
    for method, path, body in (("POST", "roles", role), ("PUT", "shelves/fresh", shelf), ("POST", "models", {"name": "fresh"})):
        assert boss.call_status(method, path, body) in (200, 201)
        assert boss.call_status(method, path, body) in (409, 422)
    boss.ok("POST", "roles/steward/assignments", assignment)
    assert boss.call_status("POST", "roles/steward/assignments", assignment) == 422


def test_an_answer_beyond_its_price_says_how_to_narrow_it(boss: Session, as_user: Callable[[str | None], Session], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(pricing, "MOST_LINES", 1)
    asked = {"ask": [{"totals": {"model": "m", "by": ["site.area"], "measures": ["energy"]}}, {"rows": {"model": "m", "table": "site"}}]}
    totals, rows = boss.ok("POST", "my/answers", asked)["answers"]
    assert totals["error"]["code"] == "too_costly"
    assert "Ask by fewer columns" in totals["error"]["message"]
    assert (len(rows["rows"]), rows["visible"]) == (1, 3)
    look: Any = boss.ok("GET", "my/pages/output")["exhibits"][2]
    assert (look["exhibit"]["title"], look["totals"]) == ("Too much for one answer", None)


def test_more_requests_of_one_account_than_are_answered_at_once_are_told_to_wait(boss: Session, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(pricing, "MOST_AT_ONCE", 0)
    response = boss.client.get("/api/session")
    assert (response.status_code, response["Retry-After"]) == (429, "1")


def test_a_kept_page_is_the_viewers_own_and_ends_with_what_it_was_read_from(
    boss: Session, as_user: Callable[[str | None], Session], monkeypatch: pytest.MonkeyPatch
) -> None:
    made: list[str] = []
    keep = kept_answers.keep_answer
    monkeypatch.setattr("moorland.server.viewing.own.keep_answer", lambda base, login, *asked: (made.append(login), keep(base, login, *asked))[1])
    ann = as_user("ann")
    first = [session.ok("GET", "my/pages/output") for session in (boss, ann, boss, ann)]
    assert made == ["boss", "ann"]
    assert first[0] == first[2] != first[1] == first[3]
    boss.ok("POST", "acts", {"change_people": {"logins": ["ann"], "attributes": {"areas": ["marsh"]}}})
    assert ann.ok("GET", "my/pages/output") != first[1]
    assert made == ["boss", "ann", "ann"]


@pytest.mark.parametrize("error", [OperationalError("database or disk is full"), OSError(errno.ENOSPC, "No space left on device")], ids=["base", "file"])
def test_a_full_disk_is_said_in_words(boss: Session, monkeypatch: pytest.MonkeyPatch, error: Exception) -> None:
    monkeypatch.setattr(Role, "rewritten", mock.Mock(side_effect=error))
    role, version = steward(boss)
    assert boss.error("PUT", "roles/steward", {"role": with_where(role, "TRUE"), "version": version}) == (507, "disk_full")
    monkeypatch.undo()
    assert steward(boss) == (role, version)
