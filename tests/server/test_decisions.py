"""Decisions for other applications: AuthZEN's shapes, the evaluator's answers, nothing beyond what the asker may be told (semantics.md 11.8)."""

import json
from typing import Any

import pytest
from django.test import Client

from moorland.server.trail.models import Entry
from tests.server.conftest import Session
from tests.server.duties import LEAF, Sessions, given, people
from tests.server.test_pages import steward_says
from tests.server.test_ways_in import token_of


class Caller:
    """Another application with a token."""

    def __init__(self, token: str) -> None:
        self.client = Client(headers={"Authorization": f"Bearer {token}"})

    def ask(self, what: str, body: Any, **headers: str) -> tuple[int, Any]:
        response = self.client.post(f"/access/v1/{what}", json.dumps(body), content_type="application/json", headers=headers)
        return response.status_code, response.json()

    def may(self, login: str, action: str, kind: str, name: str, **more: Any) -> bool:
        status, told = self.ask("evaluation", evaluation(login, action, kind, name, **more))
        assert status == 200, told
        decision: bool = told["decision"]
        return decision

    def found(self, what: str, body: Any) -> list[str]:
        status, told = self.ask(f"search/{what}", body)
        assert status == 200, told
        return [item.get("id") or item["name"] for item in told["results"]]


def evaluation(login: str, action: str, kind: str, name: str, **more: Any) -> dict[str, Any]:
    return {
        "subject": {"type": "user", "id": login},
        "action": {"name": action, **({"properties": {"set": more["set"]}} if "set" in more else {})},
        "resource": {"type": kind, "id": name},
        "context": {"reasons": more.get("reasons", False), "time": "now"},
    }


@pytest.fixture
def ann(boss: Session, as_user: Sessions) -> Caller:
    return Caller(token_of(as_user("ann"), "read"))


ANN_MAY = [
    ("open", "page", "output", True),
    ("export", "page", "output", False),
    ("open", "page", "secret", False),
    ("see", "model", "m", True),
    ("see", "table", "m/site", True),
    ("see", "column", "m/site.area", True),
    ("see", "column", "m/site.rent", False),
    ("see", "measure", "m/energy", True),
    ("see", "measure", "m/rent", False),
    ("see", "row", "m/site/1", True),
    ("see", "row", "m/site/2", False),
    ("see", "row", "m/site/7", False),
    ("see", "row", "m/site/one", False),
    ("see", "row", "m/run/1", False),
    ("delete", "row", "m/site/1", False),
    ("fly", "row", "m/site/1", False),
    ("see", "page", "output", False),
    ("see", "person", "ann", False),
]


@pytest.mark.parametrize(("action", "kind", "name", "expected"), ANN_MAY)
def test_about_oneself_always(ann: Caller, action: str, kind: str, name: str, expected: bool) -> None:
    assert ann.may("ann", action, kind, name) is expected


def test_what_is_hidden_out_of_scope_or_not_there_gives_the_same_bytes(ann: Caller) -> None:
    asks = [
        evaluation("ann", "see", "column", "m/site.rent"),
        evaluation("ann", "see", "column", "m/site.rant"),
        evaluation("boss", "see", "column", "m/site.rent"),
        evaluation("nobody", "see", "column", "m/site.rent"),
        evaluation("ann", "see", "row", "m/site/2"),
        evaluation("ann", "see", "row", "m/site/999"),
    ]
    assert {json.dumps(ann.ask("evaluation", body)) for body in asks} == {json.dumps((200, {"decision": False}))}


def test_changes_of_a_row_are_decided_by_the_new_values(ann: Caller, boss: Session) -> None:
    steward_says(boss, {"change": {"table": "site", "insert": "area = 'fell'", "update": "area = 'fell'", "delete": "id > 1"}})
    assert ann.may("ann", "update", "row", "m/site/1", set={"area": "fell"})
    assert not ann.may("ann", "update", "row", "m/site/1", set={"area": "marsh"})
    assert not ann.may("ann", "update", "row", "m/site/1")
    assert ann.may("ann", "insert", "row", "m/site/4", set={"area": "fell"})
    assert not ann.may("ann", "insert", "row", "m/site/2", set={"area": "fell"})
    assert (ann.may("ann", "delete", "row", "m/site/1"), ann.may("ann", "delete", "row", "m/site/3")) == (False, True)


def test_about_others_by_a_look_or_to_stand_in_and_rows_only_with_values(as_user: Sessions) -> None:
    given("shapes", ["look-shapes"], people(LEAF))
    given("values", ["look-values"], people(LEAF))
    given("portal", ["stand-in"], people(LEAF))
    callers = [Caller(token_of(as_user(login), act)) for login, act in (("shapes", "read"), ("values", "read"), ("portal", "stand-in"))]
    assert [caller.may("ann", "see", "table", "m/site") for caller in callers] == [True, True, True]
    assert [caller.may("ann", "see", "row", "m/site/1") for caller in callers] == [False, True, True]
    assert [caller.may("boss", "see", "table", "m/site") for caller in callers] == [False, False, False]
    entry = Entry.objects.filter(subject="decisions", actor="portal").first()
    assert entry is not None and entry.details["viewers"] == ["ann"]


def test_reasons_are_for_who_may_look_and_words_for_who_may_look_with_values(as_user: Sessions, ann: Caller) -> None:
    given("shapes", ["look-shapes"], people(LEAF))
    given("values", ["look-values"], people(LEAF))
    asked = evaluation("ann", "see", "column", "m/site.rent", reasons=True)
    told = [Caller(token_of(as_user(login), "read")).ask("evaluation", asked)[1] for login in ("shapes", "values")]
    assert told[0] == {"decision": False, "context": {"layer": "object"}}
    assert "Steward" in told[1]["context"]["message"]
    assert ann.ask("evaluation", asked)[1] == {"decision": False}


def test_many_decisions_take_what_they_leave_out_from_around_them_and_stop_where_asked(ann: Caller) -> None:
    around = {"subject": {"type": "user", "id": "ann"}, "action": {"name": "see"}}
    resources = [{"resource": {"type": "table", "id": f"m/{name}"}} for name in ("site", "nothing", "run")]
    whole = ann.ask("evaluations", {**around, "evaluations": resources})[1]
    assert [item["decision"] for item in whole["evaluations"]] == [True, False, True]
    for semantic, expected in (("deny_on_first_deny", [True, False]), ("permit_on_first_permit", [True])):
        found = ann.ask("evaluations", {**around, "evaluations": resources, "options": {"evaluations_semantic": semantic}})[1]
        assert [item["decision"] for item in found["evaluations"]] == expected
    assert ann.ask("evaluations", {**around, **resources[0]}) == (200, {"decision": True})
    assert ann.ask("evaluations", {**around, "evaluations": [{}]})[0] == 400
    assert ann.ask("evaluations", {**around, "evaluations": resources * 400})[0] == 400


def test_searches_find_what_decisions_allow_and_nobody_outside(as_user: Sessions, ann: Caller) -> None:
    given("values", ["look-values"], people(LEAF))
    desk = Caller(token_of(as_user("values"), "read"))
    user, see = {"type": "user"}, {"name": "see"}
    assert desk.found("subject", {"subject": user, "action": see, "resource": {"type": "table", "id": "m/site"}}) == ["ann"]
    mine = {"type": "user", "id": "ann"}
    assert ann.found("resource", {"subject": mine, "action": see, "resource": {"type": "column"}}) == ["m/run.kwh", "m/run.site_id", "m/site.area", "m/site.id"]
    rows = {"subject": mine, "action": see, "resource": {"type": "row", "properties": {"table": "m/site"}}}
    assert ann.found("resource", rows) == ["m/site/1", "m/site/3"]
    assert ann.found("resource", {**rows, "page": {"limit": 1, "token": "1"}}) == ["m/site/3"]
    assert ann.found("resource", {"subject": mine, "action": {"name": "open"}, "resource": {"type": "page"}}) == ["output"]
    assert ann.found("action", {"subject": mine, "resource": {"type": "page", "id": "output"}}) == ["open"]
    for what in ("subject", "resource", "action"):
        asked = {"subject": {"type": "user", "id": "boss"}, "action": see, "resource": {"type": "table", "id": "m/site"}}
        assert [name for name in ann.found(what, asked) if name != "ann"] == []


def test_a_key_that_is_masked_names_no_row(ann: Caller, boss: Session) -> None:
    steward_says(boss, {"mask": {"column": "site.id", "with": "withhold", "when": "area = 'fell'"}})
    assert not ann.may("ann", "see", "row", "m/site/1")
    assert (
        ann.found(
            "resource", {"subject": {"type": "user", "id": "ann"}, "action": {"name": "see"}, "resource": {"type": "row", "properties": {"table": "m/site"}}}
        )
        == []
    )


def test_without_an_account_nothing_is_decided_and_anybody_finds_where_to_ask(workspace: None, ann: Caller) -> None:
    asked = json.dumps(evaluation("ann", "see", "model", "m"))
    assert Client().post("/access/v1/evaluation", asked, content_type="application/json").status_code == 401
    told = Client().get("/.well-known/authzen-configuration").json()
    assert told["access_evaluation_endpoint"] == f"{told['policy_decision_point']}/access/v1/evaluation"
    response = ann.client.post("/access/v1/evaluation", asked, content_type="application/json", headers={"X-Request-ID": "abc"})
    assert response["X-Request-ID"] == "abc"


def test_a_token_decides_within_its_models_only(boss: Session) -> None:
    caller = Caller(token_of(boss, "read", models=["other"]))
    assert not caller.may("boss", "see", "table", "m/site")
