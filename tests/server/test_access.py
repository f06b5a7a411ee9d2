"""Every endpoint by every kind of account: who may call it, and who may not."""

from collections.abc import Callable
from typing import Any

import pytest
from django.urls import get_resolver

from tests.server.conftest import Session

NOBODY = "00000000-0000-0000-0000-000000000000"
ROLE = {"name": "fresh", "kind": "grant", "model": "m", "sentences": []}
ROWS = {"model": "m", "table": "site"}
ENTITLEMENT = {"table": "site", "through": "site", "person": "area", "person_is": "login", "match": {"area": "area"}}

#: method, address, body, the administrator's status, a viewer's status, nobody's status
ENDPOINTS: list[tuple[str, str, Any, int, int, int]] = [
    ("GET", "session", None, 200, 200, 200),
    ("DELETE", "session", None, 200, 200, 200),
    ("POST", "session", {"login": "x", "password": "y"}, 401, 401, 401),
    ("GET", "state", None, 200, 403, 401),
    ("PUT", "session/password", {"present": "x", "password": "y"}, 422, 422, 401),
    ("POST", "session/forgotten", {"login": "nobody"}, 202, 202, 202),
    ("POST", "invitations", {"logins": ["ann"]}, 201, 403, 401),
    ("POST", "session/welcome", {"token": "x", "password": "y"}, 422, 422, 422),
    ("POST", "session/set-up", {"token": "x", "workspace": "w", "login": "l", "name": "n", "password": "p"}, 409, 409, 409),
    ("POST", "acts", {"change_people": {"logins": ["bob"], "enabled": False}}, 200, 403, 401),
    ("POST", "directory/import", {"upload": NOBODY, "reading": {"format": "csv"}, "kind": "people", "columns": {"login": 0}}, 404, 403, 401),
    ("GET", "directory/attributes", None, 200, 403, 401),
    ("GET", "directory/held", None, 200, 403, 401),
    ("GET", "directory/export", None, 200, 403, 401),
    ("GET", "groups/stewards", None, 200, 403, 401),
    ("GET", "organizations/leaf", None, 200, 403, 401),
    ("GET", "people/ann/copying", None, 200, 403, 401),
    ("GET", "people/ann/owns", None, 200, 403, 401),
    ("POST", "people/ann/invitation", None, 201, 403, 401),
    ("POST", "models/m/tables/site/kept", None, 201, 403, 401),
    ("GET", "models/m/tables/site/lines", None, 404, 403, 401),
    ("POST", "models/m/tables/site/lines/check", {"lines": []}, 404, 403, 401),
    ("GET", "models/m/tables/site/lines/history", None, 404, 403, 401),
    ("GET", "models/m", None, 200, 403, 401),
    ("POST", "models", {"name": "fresh"}, 201, 403, 401),
    ("PUT", "models/m/draft", {"document": {"name": "x"}, "version": 1}, 422, 403, 401),
    ("DELETE", "models/m/draft?version=9", None, 409, 403, 401),
    ("GET", "models/m/tables/site", None, 200, 403, 401),
    ("POST", "models/m/tables/site/refreshes", {"upload": "x", "reading": {"format": "csv"}}, 202, 403, 401),
    ("GET", "models/m/refreshes", None, 200, 403, 401),
    ("POST", "models/m/try", {"table": "run", "expression": "SUM(kwh)", "kind": "measure"}, 200, 403, 401),
    ("POST", "uploads?name=a.csv", {"a": 1}, 201, 403, 401),
    ("DELETE", f"uploads/{NOBODY}", None, 404, 403, 401),
    ("POST", f"uploads/{NOBODY}/grid", {}, 404, 403, 401),
    ("POST", "proposals", {"sources": [{"upload": NOBODY, "reading": {"format": "csv"}}]}, 404, 403, 401),
    ("POST", "imports", {"model": "m"}, 400, 403, 401),
    ("GET", "tasks", None, 200, 403, 401),
    ("GET", f"tasks/{NOBODY}", None, 404, 403, 401),
    ("POST", "refreshes/99", None, 404, 403, 401),
    ("GET", "models/m/values/site/area", None, 200, 403, 401),
    ("GET", "roles", None, 200, 403, 401),
    ("POST", "roles", {"role": ROLE}, 201, 403, 401),
    ("PUT", "roles/steward", {"role": {**ROLE, "name": "steward"}, "version": 1}, 200, 403, 401),
    ("DELETE", "roles/steward?version=1", None, 204, 403, 401),
    ("POST", "roles/steward/restore", None, 404, 403, 401),
    ("POST", "roles/steward/assignments", {"add": [{"user": "bob"}]}, 200, 403, 401),
    ("DELETE", "roles/steward/assignments/99", None, 404, 403, 401),
    ("GET", "people", None, 200, 403, 401),
    ("GET", "people/ann", None, 200, 403, 401),
    ("PATCH", "people/ann", {"version": 1, "name": "Anne"}, 200, 403, 401),
    ("POST", "evaluate", {"viewers": ["ann"], "ask": [{"pages": {}}]}, 200, 403, 401),
    ("POST", "effect", {"viewers": ["ann"], "model": "m"}, 200, 403, 401),
    ("POST", "rows", {"viewers": ["ann"], "rows": ROWS}, 200, 403, 401),
    ("GET", "vocabulary", None, 200, 403, 401),
    ("POST", "check", {"model": "m", "table": "site", "where": "TRUE", "kind": "rows"}, 200, 403, 401),
    ("GET", "pages", None, 200, 403, 401),
    ("POST", "pages/output/look", {"viewer": "ann"}, 200, 403, 401),
    ("POST", "grid", {"by": "people"}, 200, 403, 401),
    ("PUT", "pages/fresh", {"page": {"name": "fresh", "shelf": "work"}}, 200, 403, 401),
    ("DELETE", "pages/output?version=9", None, 409, 403, 401),
    ("POST", "pages/output/beneath", {"viewer": "ann", "beneath": {"exhibit": 0}}, 200, 403, 401),
    ("PUT", "shelves/fresh", {"shelf": {"name": "fresh"}}, 200, 403, 401),
    ("DELETE", "shelves/work?version=1", None, 409, 403, 401),
    ("POST", "exhibits", {"model": "m", "viewers": ["ann"], "exhibit": {"title": "E", "kind": "figure", "measures": ["energy"]}}, 200, 403, 401),
    ("POST", "redundant", {"role": "steward"}, 200, 403, 401),
    ("POST", "sql", {"viewer": "ann", "question": {"rows": ROWS}}, 200, 403, 401),
    ("POST", "why", {"viewer": "ann", "about": {"page": "output"}}, 200, 403, 401),
    ("POST", "who", {"about": {"model": "m", "table": "site"}}, 200, 403, 401),
    ("POST", "reach", {"model": "m", "measures": ["energy"], "against_live": True}, 200, 403, 401),
    ("POST", "statement", {"about": {"person": "ann"}}, 200, 403, 401),
    ("POST", "statement/export", {"about": {"page": "output"}, "format": "csv"}, 200, 403, 401),
    ("GET", "reach/underway", None, 200, 403, 401),
    ("POST", "reach/export", {"format": "xlsx"}, 200, 403, 401),
    ("POST", "looks", {"screen": "viewers", "shown": {}}, 200, 403, 401),
    ("GET", "looks/none", None, 404, 403, 401),
    ("GET", "pinned-sets", None, 200, 403, 401),
    ("PUT", "pinned-sets/usual", {"pins": [{"title": "Ann", "detail": "", "viewer": "ann"}]}, 200, 403, 401),
    ("DELETE", "pinned-sets/none", None, 404, 403, 401),
    ("POST", "bridge", {"viewer": "ann", "about": {"model": "m", "measure": "energy"}}, 200, 403, 401),
    ("POST", "combine", {"about": {"model": "m", "roles": ["all", "steward"], "table": "site"}}, 200, 403, 401),
    ("POST", "entitlements/lines", {"model": "m", "sentence": ENTITLEMENT}, 200, 403, 401),
    ("POST", "entitlements/columns", {"model": "m", "through": "site", "table": "site"}, 200, 403, 401),
    ("POST", "whole-totals", {"role": "steward", "sentence": 0, "viewers": ["ann"]}, 404, 403, 401),
    ("GET", "similar", None, 200, 403, 401),
    ("POST", "similar/replace", {"roles": ["all", "steward"]}, 409, 403, 401),
    ("GET", "roles/steward/uses", None, 200, 403, 401),
    ("GET", "roles/steward/holders", None, 200, 403, 401),
    ("GET", "releases", None, 200, 403, 401),
    ("POST", "releases", {"hash": "x"}, 409, 403, 401),
    ("GET", "releases/pending", None, 200, 403, 401),
    ("GET", "releases/1", None, 200, 403, 401),
    ("POST", "releases/pending", {}, 200, 403, 401),
    ("POST", "releases/asked", {"hash": "x"}, 409, 403, 401),
    ("POST", "releases/asked/9", None, 404, 403, 401),
    ("DELETE", "releases/asked/9", None, 404, 403, 401),
    ("GET", "releases/compared?before=1&after=draft", None, 200, 403, 401),
    ("POST", "releases/1/return", None, 204, 403, 401),
    ("GET", "releases/1/bundle", None, 200, 403, 401),
    ("GET", "trail", None, 200, 403, 401),
    ("GET", "trail/head", None, 200, 403, 401),
    ("GET", "trail/export?as=jsonl", None, 200, 403, 401),
    ("GET", "duties", None, 200, 403, 401),
    ("POST", "duties", {"duty": {"user": "bob", "acts": ["trail"], "within": "everything"}}, 201, 403, 401),
    ("PUT", "duties/99", {"duty": {"user": "bob", "acts": ["trail"], "within": "everything"}}, 404, 403, 401),
    ("DELETE", "duties/99?version=1", None, 404, 403, 401),
    ("GET", "duties/of/ann", None, 200, 403, 401),
    ("POST", "duties/who", {"act": "people"}, 200, 403, 401),
    ("GET", "my/duties", None, 200, 200, 401),
    ("GET", "my/account", None, 200, 200, 401),
    ("PATCH", "my/account", {"version": 1, "name": "Other"}, 200, 200, 401),
    ("DELETE", "my/sessions", None, 200, 200, 401),
    ("DELETE", "my/sessions/99", None, 404, 404, 401),
    ("POST", "my/second-factor", None, 201, 201, 401),
    ("PUT", "my/second-factor", {"code": "000000"}, 422, 422, 401),
    ("POST", "my/second-factor/end", {"password": "x"}, 422, 422, 401),
    ("POST", "my/tokens", {"name": "t", "scope": {"acts": ["read"]}}, 201, 201, 401),
    ("DELETE", "my/tokens/99", None, 404, 404, 401),
    ("GET", "promises", None, 200, 403, 401),
    ("POST", "settings/bundle", {"state": "draft", "data": False}, 200, 403, 401),
    ("POST", "settings/bundle/import", {"upload": NOBODY}, 404, 403, 401),
    ("GET", "overview", None, 200, 403, 401),
    ("GET", "guard", None, 200, 403, 401),
    ("GET", "findings", None, 200, 403, 401),
    ("POST", "findings/seen", {"keys": []}, 204, 403, 401),
    ("POST", "findings/accepted", {"key": "x", "reason": "y", "until": "2099-01-01"}, 404, 403, 401),
    ("DELETE", "findings/accepted/none", None, 404, 403, 401),
    ("GET", "probe?viewer=ann", None, 200, 403, 401),
    ("POST", "probe/closings", {"viewer": "nobody", "find": {"kind": "door", "model": "m", "subject": {}, "by": [], "arithmetic": ""}}, 404, 403, 401),
    ("POST", "promises/try", {"promise": {"name": "p", "viewer": "ann", "must": {"nothing": True}}}, 200, 403, 401),
    ("PUT", "promises/of/p", {"promise": {"name": "p", "viewer": "ann", "must": {"nothing": True}}}, 200, 403, 401),
    ("DELETE", "promises/of/p?version=1", None, 404, 403, 401),
    ("POST", "parity", {"logins": ["ann"]}, 200, 403, 401),
    ("GET", "my/door", None, 200, 200, 401),
    ("POST", "my/door", {"name": "laptop"}, 201, 201, 401),
    ("DELETE", "my/door/keys/99", None, 404, 404, 401),
    ("GET", "settings/door", None, 200, 403, 401),
    ("POST", "settings/door", {"login": "ann", "name": "laptop"}, 422, 403, 401),
    ("DELETE", "settings/door/keys/99", None, 404, 403, 401),
    ("DELETE", "settings/door/sessions/99", None, 404, 403, 401),
    ("GET", "settings/issuers", None, 200, 403, 401),
    ("PUT", "settings/issuers", {"text": {"name": "x"}}, 400, 403, 401),
    ("DELETE", "settings/issuers/x?version=1", None, 404, 403, 401),
    ("POST", "settings/issuers/x/try", {"page": "output", "sub": "zoe"}, 404, 403, 401),
    ("POST", "outside/pages/output", {}, 401, 401, 401),
    ("POST", "outside/pages/output/beneath", {}, 401, 401, 401),
    ("POST", "outside/pages/output/export", {}, 401, 401, 401),
    ("GET", "settings/tokens", None, 200, 403, 401),
    ("POST", "settings/tokens", {"login": "ann", "name": "t", "scope": {"acts": ["read"]}}, 422, 403, 401),
    ("DELETE", "settings/tokens/99", None, 404, 403, 401),
    ("GET", "sources", None, 200, 403, 401),
    ("PUT", "sources", {"source": {"name": "w", "kind": "sqlite", "file": "w.sqlite"}}, 200, 403, 401),
    ("POST", "sources/try", {"source": {"name": "w", "kind": "sqlite", "file": "w.sqlite"}}, 200, 403, 401),
    ("GET", "promises/schedule", None, 200, 403, 401),
    ("POST", "promises/schedule", None, 404, 403, 401),
    ("PUT", "promises/schedule", {"when": {"at": "03:30"}, "version": None}, 200, 403, 401),
    ("GET", "guards", None, 200, 403, 401),
    ("POST", "changes", {"change": {"model": "m", "table": "run", "delete": {"where": None}}, "expected": 0}, 422, 403, 401),
    ("POST", "sources/everyone", {"source": {"name": "w", "kind": "sqlite", "file": "w.sqlite"}}, 200, 403, 401),
    ("DELETE", "sources/of/x?version=1", None, 404, 403, 401),
    ("GET", "sources/in/x", None, 404, 403, 401),
    ("POST", "sources/in/x", {"relation": ["r"]}, 404, 403, 401),
    ("GET", "models/m/schedules", None, 200, 403, 401),
    (
        "PUT",
        "models/m/schedules",
        {"text": {"model": "m", "table": "nothing", "source": "x", "relation": ["r"], "when": {"minutes": 60}}},
        404,
        403,
        401,
    ),
    ("POST", "schedules/1", None, 404, 403, 401),
    ("DELETE", "schedules/1?version=1", None, 404, 403, 401),
    ("POST", "models/m/placed", {"table": "t", "source": "x", "relation": ["r"], "columns": ["c"]}, 404, 403, 401),
    ("POST", "models/m/tables/site/place", {"source": "x", "relation": ["r"]}, 404, 403, 401),
    ("GET", "settings/sign-in", None, 200, 403, 401),
    ("PUT", "settings/sign-in", {"rules": {}, "version": 1}, 200, 403, 401),
    ("POST", "settings/sign-in/try", {}, 200, 403, 401),
    ("PUT", "settings/workspace", {"name": "Place", "time_zone": "UTC"}, 200, 403, 401),
    ("POST", "settings/backup", None, 503, 403, 401),
    ("DELETE", "people/ann/access", None, 204, 403, 401),
    ("GET", "my/pages", None, 200, 200, 401),
    ("GET", "my/pages/output", None, 200, 200, 401),
    ("POST", "my/pages/output", {}, 200, 200, 401),
    ("POST", "my/pages/output/beneath", {"exhibit": 0}, 200, 200, 401),
    ("POST", "my/pages/output/export", {"exhibit": 0, "format": "csv"}, 403, 403, 401),
    ("POST", "my/answers", {"ask": [{"pages": {}}]}, 200, 200, 401),
    ("POST", "my/sql", {"sql": "select energy from run"}, 200, 200, 401),
    ("GET", "my/vocabulary", None, 200, 200, 401),
    ("GET", "my/models", None, 200, 200, 401),
    ("GET", "my/models/m/values/site/area", None, 200, 200, 401),
    ("POST", "my/making", {"label": "Mine", "shelf": "work"}, 404, 404, 401),
    ("POST", "my/making/exhibit", {"model": "m", "exhibit": {"title": "E", "kind": "figure", "measures": ["energy"]}}, 200, 200, 401),
    ("POST", "my/making/check", {"model": "m", "where": "site.area = 'x'"}, 200, 200, 401),
    ("GET", "my/making/own-0123456789abcdef", None, 404, 404, 401),
    ("PUT", "my/making/own-0123456789abcdef", {"text": {"label": "x"}, "version": 1}, 404, 404, 401),
    ("DELETE", "my/making/own-0123456789abcdef?version=1", None, 404, 404, 401),
    ("POST", "my/making/own-0123456789abcdef/publishing", {"published": True, "version": 1}, 404, 404, 401),
    ("GET", "my/making/own-0123456789abcdef/versions", None, 404, 404, 401),
    ("GET", "readers-pages", None, 200, 403, 401),
    ("PUT", "readers-pages/own-0123456789abcdef", {"version": 1}, 404, 403, 401),
    ("DELETE", "readers-pages/own-0123456789abcdef?version=1", None, 404, 403, 401),
    ("GET", "people/ann/history", None, 200, 403, 401),
    ("GET", "session/by/nobody", None, 302, 302, 302),
    ("GET", "session/by/nobody/back", None, 302, 302, 302),
    ("GET", "settings/origins", None, 200, 403, 401),
    ("PUT", "settings/origins", {"origin": {"kind": "scim", "name": "office"}}, 200, 403, 401),
    ("POST", "settings/origins/try", {"origin": {"kind": "scim", "name": "office"}}, 422, 403, 401),
    ("POST", "settings/origins/try/run", {"origin": {"kind": "scim", "name": "office"}}, 422, 403, 401),
    ("DELETE", "settings/origins/of/none?version=1", None, 404, 403, 401),
    ("POST", "settings/origins/of/none/runs", {}, 404, 403, 401),
    ("PUT", "settings/origins/of/none/runs", None, 404, 403, 401),
    ("POST", "settings/origins/of/none/joins", {"entry": "x", "login": "ann"}, 404, 403, 401),
    ("POST", "settings/origins/of/none/tokens", {"name": "x"}, 404, 403, 401),
    ("DELETE", "settings/origins/of/none/tokens/1", None, 404, 403, 401),
    ("GET", "reviews", None, 200, 403, 401),
    ("POST", "reviews", {"title": "Autumn"}, 201, 403, 401),
    ("GET", "reviews/99", None, 404, 403, 401),
    ("DELETE", "reviews/99?version=1", None, 404, 403, 401),
    ("POST", "reviews/99/answers", {"lines": [1], "answer": "keep"}, 404, 403, 401),
    ("POST", "reviews/99/closing", None, 404, 403, 401),
    ("GET", "reviews/99/record", None, 404, 403, 401),
    ("GET", "movers?since=2001-01-01", None, 422, 403, 401),
    ("GET", "my/reviews", None, 200, 200, 401),
    ("POST", "my/reviews", {"lines": [1], "answer": "keep"}, 404, 404, 401),
    ("GET", "schema", None, 200, 403, 401),
    ("GET", "nothing/here", None, 404, 404, 404),
]


@pytest.mark.parametrize(("method", "path", "body", "administrator", "viewer", "nobody"), ENDPOINTS)
def test_endpoint_answers_each_account_as_it_should(
    as_user: Callable[[str | None], Session], method: str, path: str, body: Any, administrator: int, viewer: int, nobody: int
) -> None:
    found = []
    for login in (None, "ann", "boss"):
        session = as_user(login)
        response = session.client.generic(method, f"/api/{path}", __import__("json").dumps(body) if body is not None else "", content_type="application/json")
        found.append(response.status_code)
    assert found == [nobody, viewer, administrator]


def test_the_table_above_names_every_address() -> None:
    addresses = {str(pattern.pattern) for pattern in get_resolver().url_patterns if str(pattern.pattern).startswith("api/")}
    named = {f"api/{path.partition('?')[0]}" for _, path, *_ in ENDPOINTS}
    resolver = get_resolver()
    assert addresses == {str(resolver.resolve(f"/{path}").route) for path in named if "nothing" not in path}


def test_a_disabled_account_cannot_sign_in(as_user: Callable[[str | None], Session]) -> None:
    assert as_user(None).error("POST", "session", {"login": "off", "password": "a long password"}) == (401, "signed_out")


def test_an_account_disabled_while_signed_in_is_out_at_once(as_user: Callable[[str | None], Session], boss: Session) -> None:
    ann = as_user("ann")
    ann.ok("GET", "my/pages")
    boss.ok("PATCH", "people/ann", {"version": 1, "enabled": False})
    assert ann.error("GET", "my/pages") == (401, "signed_out")


def test_a_request_from_another_site_is_refused(workspace: None) -> None:
    from django.test import Client

    client = Client(enforce_csrf_checks=True)
    response = client.post("/api/session", {"login": "boss", "password": "a long password"}, content_type="application/json")
    assert response.status_code == 403
    assert response.json()["error"]["code"] == "csrf"


def test_sign_in_is_throttled(as_user: Callable[[str | None], Session]) -> None:
    session = as_user(None)
    codes = [session.error("POST", "session", {"login": "ann", "password": "wrong"})[0] for _ in range(10)]
    assert codes[0] == 401
    assert codes[-1] == 429
    assert session.error("POST", "session", {"login": "ann", "password": "a long password"})[0] == 429


def test_logins_ignore_letter_case_and_spaces(as_user: Callable[[str | None], Session]) -> None:
    assert as_user(None).ok("POST", "session", {"login": " ANN ", "password": "a long password"})["account"]["login"] == "ann"


def test_answers_are_never_cached_and_only_own_scripts_run(boss: Session) -> None:
    response = boss.client.get("/api/state")
    assert response["Cache-Control"] == "no-store"
    assert "script-src 'self';" in response["Content-Security-Policy"]
    assert "default-src 'self'" in response["Content-Security-Policy"]


def test_outside_demo_mode_no_account_is_listed(as_user: Callable[[str | None], Session]) -> None:
    session = as_user(None).ok("GET", "session")
    assert (session["demo"], session["demo_password"]) == ([], None)


@pytest.mark.parametrize("body", [None, [], {"viewers": "all"}, {"viewers": ["ann"] * 9, "ask": []}, {"viewers": [], "ask": [], "more": 1}])
def test_a_body_of_another_shape_is_refused_in_sentences(boss: Session, body: Any) -> None:
    status, answer = boss.call("POST", "evaluate", body)
    assert (status, answer["error"]["code"]) == (400, "invalid")
    assert answer["error"]["problems"]


@pytest.mark.django_db
def test_an_empty_workspace_says_that_it_is_not_set_up() -> None:
    nobody = Session(None)
    assert nobody.ok("GET", "session")["ready"] is False
    assert nobody.error("POST", "session", {"login": "boss", "password": "a long password"}) == (401, "signed_out")
