"""No seeing by doing (accounts.md 3): who may look at shapes only is told no value of the data, by any answer to anything that can be asked."""

import json
from typing import Any

import pytest

from tests.server.conftest import Session, each
from tests.server.duties import LEAF, Sessions, given, people
from tests.server.test_access import ENDPOINTS

REFUSED = (403, "not_allowed")
#: Values of the data, of attributes and of literals that stand nowhere else.
PLANTED = ("fell", "marsh", "nowhere", "quarrying", '"areas": ["', "1500.0", "700.0")
ROWS = {"rows": {"model": "m", "table": "site", "columns": ["site.id", "site.area", "site.rent"]}}


def planted(boss: Session) -> None:
    """Literals in sentences, masks, conditions, models and pages, and values of people."""
    role = {
        "name": "literal",
        "kind": "grant",
        "model": "m",
        "sentences": [
            {"rows": {"table": "site", "where": "area = 'quarrying' OR id = 1"}, "reason": "by the book"},
            {"mask": {"column": "site.area", "with": {"fixed": {"text": "quarrying"}}, "when": "area = 'quarrying'"}},
        ],
    }
    boss.ok("POST", "roles", {"role": role})
    boss.ok("POST", "roles/literal/assignments", {"add": [{"user": "bob"}, {"when": "viewer.login IN ('bob', 'quarrying')"}]})
    boss.ok("POST", "acts", {"change_people": {"logins": ["bob"], "attributes": {"areas": ["quarrying"]}}})
    draft = boss.ok("GET", "models/m")
    document = draft["document"]
    document["measures"].append({"name": "dear", "table": "site", "expression": "SUM(CASE WHEN area = 'quarrying' THEN rent ELSE 0 END)"})
    boss.ok("PUT", "models/m/draft", {"document": document, "version": draft["version"]})
    boss.ok("POST", "releases", {"hash": boss.ok("GET", "releases/pending")["hash"]})


MORE: list[tuple[str, str, Any]] = [
    *(("POST", "evaluate", {"state": state, "viewers": ["ann", "bob"], "ask": [ask]}) for state in ("live", "draft") for ask in (
        ROWS,
        {"totals": {"model": "m", "measures": ["energy", "rent"], "by": ["site.area"], "subtotals": True}},
        {"objects": {"model": "m"}},
        {"pages": {}},
        {"rows": {**ROWS["rows"], "where": "area = 'fell'"}},
        {"rows": {**ROWS["rows"], "order": ["site.area"]}},
        {"totals": {"model": "m", "measures": ["energy"], "where": "area = 'fell'"}},
    )),
    ("POST", "evaluate", {"viewers": [{"all_data": True}], "unseen": True, "ask": [{"totals": {"model": "m", "measures": ["energy"], "by": ["site.area"]}}]}),
    ("POST", "evaluate", {"viewers": [{"login": "bob", "only_roles": ["literal"]}], "ask": [ROWS]}),
    ("POST", "evaluate", {"viewers": [{"imagine": {"groups": ["stewards"]}}], "ask": [ROWS]}),
    ("POST", "effect", {"viewers": ["ann", "bob"], "model": "m", "rows": {"model": "m", "table": "site"}, "totals": {"model": "m", "measures": ["energy"], "by": ["site.area"]}}),
    ("POST", "rows", {"viewers": ["ann", "bob", {"all_data": True}], "rows": {"model": "m", "table": "site"}}),
    ("POST", "why", {"viewer": "bob", "about": {"model": "m", "object": "column:site.rent"}}),
    ("POST", "why", {"viewer": "bob", "about": {"model": "m", "table": "site", "row": 1, "column": "rent"}}),
    ("POST", "why", {"viewer": "bob", "other": "ann", "about": {"model": "m", "object": "measure:energy", "figure": True}}),
    ("POST", "who", {"about": {"model": "m", "table": "site", "column": "rent"}}),
    ("POST", "who", {"about": {"model": "m", "table": "site", "where": "area = 'fell'"}}),
    ("POST", "who", {"about": {"model": "m", "table": "site", "row": 1}}),
    ("POST", "reach", {"state": "live", "model": "m"}),
    ("POST", "reach", {"state": "live", "model": "m", "measures": ["energy"]}),
    ("POST", "statement", {"state": "live", "about": {"person": "bob"}}),
    ("POST", "statement", {"state": "live", "about": {"model": "m", "table": "site"}}),
    ("POST", "check", {"model": "m", "table": "site", "where": "area = 'fel'", "kind": "rows"}),
    ("GET", "roles?", None),
    ("GET", "models/m?state=live", None),
    ("GET", "models/m/values/site/area?search=fe", None),
    ("POST", "models/m/values/site/area", {"texts": ["fell", "fel"]}),
    ("GET", "people/bob?state=live", None),
    ("GET", "pages?state=live", None),
    ("GET", "releases/2", None),
    ("GET", "trail?", None),
]  # fmt: skip


@pytest.fixture
def auditor(boss: Session, as_user: Sessions) -> Session:
    """Somebody with the auditor's set, shapes only, in a workspace full of literals."""
    planted(boss)
    given("eye", ["look-shapes", "checks", "trail"])
    return as_user("eye")


def test_no_answer_to_who_sees_shapes_only_holds_a_value(auditor: Session) -> None:
    answered = 0
    for method, path, body in [*((method, path, body) for method, path, body, *_ in ENDPOINTS if path != "session"), *MORE]:
        response = auditor.client.generic(method, f"/api/{path}", json.dumps(body) if body is not None else "", content_type="application/json")
        written = response.content.decode("utf-8", "replace").replace('"fell":', "")
        answered += response.status_code == 200
        for word in PLANTED:
            assert word not in written, (method, path, body, word, written[:2000])
    assert answered > 40


def test_shapes_tell_states_counts_and_verdicts(auditor: Session) -> None:
    found = auditor.ok("POST", "evaluate", {"state": "live", "viewers": ["bob"], "ask": [ROWS]})["viewers"][0]["answers"][0]
    assert (found["visible"], found["rows"]) == (1, [["…", "…", "…"]])
    totals = {"totals": {"model": "m", "measures": ["energy"], "by": ["site.area"]}}
    told = auditor.ok("POST", "evaluate", {"state": "live", "viewers": ["ann"], "ask": [totals]})["viewers"][0]["answers"][0]
    assert (len(told["lines"]), told["total"], told["basis"]) == (1, [None], [2])
    why = auditor.ok("POST", "why", {"state": "live", "viewer": "ann", "about": {"model": "m", "object": "measure:rent"}})
    assert (why["trace"]["outcome"], why["trace"]["layers"][-1]["layer"]) == ("cannot", "object")
    role = next(item for item in auditor.ok("GET", "roles")["roles"] if item["role"]["name"] == "literal")
    assert role["role"]["sentences"] == []
    assert role["told"] == ["keeps site where area = … OR id = …", "shows site.area as fixed when area = …"]


def test_rows_come_in_an_order_that_tells_nothing(boss: Session, as_user: Sessions) -> None:
    """The same states in another order of the data come in the same order."""
    given("eye", ["look-shapes"])
    told = as_user("eye").ok("POST", "rows", {"viewers": ["ann", "bob"], "rows": {"model": "m", "table": "site"}})
    assert [row["row"] for row in told["rows"]] == [0, 1, 2]
    assert all(value == "…" for row in told["rows"] for value in row["values"])


@pytest.mark.parametrize("edited", [True, False])
def test_counts_over_sentences_of_ones_own_writing_need_values(boss: Session, as_user: Sessions, edited: bool) -> None:
    """An unsaved sentence with one value after another would count every cell."""
    given("writer", ["look-shapes", "roles"])
    role = {"name": "probe", "kind": "grant", "model": "m", "sentences": [{"rows": {"table": "site", "where": "rent > 15"}}]}
    asked = {"viewers": ["ann"], "model": "m", "edited": [role] if edited else []}
    status = as_user("writer").call_status("POST", "effect", asked)
    assert status == (403 if edited else 200)


def test_a_look_reaches_only_people_and_models_in_scope(boss: Session, as_user: Sessions) -> None:
    given("near", ["look-values"], people(LEAF))
    near = as_user("near")
    assert near.ok("POST", "evaluate", {"state": "live", "viewers": ["ann"], "ask": [ROWS]})["viewers"][0]["answers"][0]["error"]["code"] == "not_found"
    assert near.error("POST", "evaluate", {"state": "live", "viewers": ["bob"], "ask": [ROWS]}) == (404, "not_found")
    for broad in ({"all_data": True}, {"imagine": {"groups": ["stewards"]}}, {"login": "ann", "only_roles": ["all"]}):
        assert near.error("POST", "evaluate", {"state": "live", "viewers": [broad], "ask": [ROWS]}) == REFUSED
    assert near.error("POST", "evaluate", {"state": "draft", "viewers": ["ann"], "ask": [ROWS]}) == REFUSED
    assert [item["login"] for item in near.ok("POST", "who", {"state": "live", "about": {"page": "output"}})["answer"]["people"]] == ["ann"]
    assert [item["logins"] for item in near.ok("POST", "reach", {"state": "live", "model": "m"})["classes"]] == [["ann"]]
    given("other", ["look-values"], people("all", models=["gone"]))
    assert as_user("other").error("POST", "evaluate", {"state": "live", "viewers": ["ann"], "ask": [ROWS]}) == (404, "not_found")


def test_two_duties_do_not_reach_what_neither_reaches(boss: Session, as_user: Sessions) -> None:
    """One over every model and one person, another over everybody and one model: not over everybody in every model."""
    given("two", ["look-values"], people({"users": ["bob"]}))
    given("two", ["look-values"], people("all", models=["other"]))
    two = as_user("two")
    asked = {"state": "live", "viewers": ["ann"], "ask": [{"pages": {}}]}
    assert two.error("POST", "evaluate", asked) == (404, "not_found")
    assert two.error("POST", "statement", {"state": "live", "about": {"person": "ann"}}) == (404, "not_found")
    assert two.error("POST", "reach", {"state": "draft"}) == REFUSED
    assert [item["logins"] for item in two.ok("POST", "reach", {"state": "live"})["classes"]] == [["bob"]]
    assert two.call_status("POST", "evaluate", {**asked, "viewers": ["bob"]}) == 200


def test_lists_of_values_show_what_ones_own_roles_show(boss: Session, as_user: Sessions) -> None:
    given("keeper", ["models", "roles"])
    keeper = as_user("keeper")
    assert keeper.ok("GET", "models/m/values/site/area")["values"] == []
    boss.ok("POST", "roles/steward/assignments", {"add": [{"user": "keeper"}]})
    boss.ok("POST", "acts", {"change_people": {"logins": ["keeper"], "attributes": {"areas": ["marsh"]}}})
    assert [item["value"] for item in keeper.ok("GET", "models/m/values/site/area")["values"]] == ["marsh"]
    assert keeper.ok("GET", "models/m/tables/site")["columns"] == []
    told = keeper.ok("POST", "models/m/try", {"table": "site", "expression": "MAX(rent)", "kind": "measure"})
    assert (told["value"], told["samples"]) == (None, [])


def test_what_a_change_would_do_tells_nothing_of_the_data_to_who_may_not_look(boss: Session, as_user: Sessions) -> None:
    """Trying one value of an attribute after another would else find out which of them the data holds."""
    given("desk", ["people"], people(LEAF))
    desk = as_user("desk")
    told = [
        each(desk.ok("POST", "acts?try=true", {"change_people": {"logins": ["ann"], "attributes": {"areas": [area]}}})["viewers"])
        for area in ("marsh", "not in the data")
    ]
    assert told[0] == told[1] == [{"login": "ann", "name": "Ann", "tables": [], "totals": [], "gained": [], "lost": [], "not_known": False}]


def test_entries_of_the_trail_are_in_scope_if_everybody_in_them_is(boss: Session, as_user: Sessions) -> None:
    given("eye", ["trail"], people({"users": ["boss", "ann"]}))
    boss.ok("POST", "acts", {"change_people": {"logins": ["ann"], "attributes": {"areas": ["marsh"]}}})
    boss.ok("POST", "acts", {"change_people": {"logins": ["bob"], "attributes": {"areas": ["marsh"]}}})
    boss.ok("POST", "evaluate", {"viewers": ["ann", "bob"], "ask": [ROWS]})
    entries = as_user("eye").ok("GET", "trail")["entries"]
    assert {entry["actor"] for entry in entries} <= {"boss", "ann"}
    assert [entry["subject"] for entry in entries if entry["action"] == "change people"] == ["ann"]
    assert "marsh" not in json.dumps(entries)
    assert not any("bob" in entry["details"].get("viewers", []) for entry in entries)
