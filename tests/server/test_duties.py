"""Duties: who may do what, and within what (accounts.md 1, 4, 5). What is outside a scope is absent."""

import json
from datetime import timedelta
from typing import Any

import pytest
from django.urls import get_resolver
from django.utils import timezone
from typer.testing import CliRunner

from moorland.cli import app
from moorland.commands import keeping
from moorland.core.bundle.duties import ACTS, DIMENSIONS, SETS, ActName
from moorland.server.directory.models import Account, Group
from moorland.server.duties.models import GivenDuty
from moorland.server.duties.permission import Need
from moorland.server.duties.rights import rights_of
from tests.server.conftest import Session
from tests.server.duties import LEAF, Sessions, given, people
from tests.server.test_access import ENDPOINTS

#: A scope of every dimension that holds nothing there is.
NOWHERE = {
    "people": {"organizations": ["gone"]},
    "models": ["gone"],
    "roles": ["gone"],
    "shelves": ["gone"],
    "sources": ["gone"],
    "attributes": ["gone"],
}


def needs() -> dict[tuple[str, str], Need]:
    """What every method of every address needs."""
    found = {}
    for pattern in get_resolver().url_patterns:
        view = getattr(pattern.callback, "view_class", None)
        if view is not None and hasattr(view, "needs"):
            found.update({(method, str(pattern.pattern)): need for method, need in view.needs.items()})
    return found


def test_every_method_of_every_address_says_what_it_needs() -> None:
    for pattern in get_resolver().url_patterns:
        view: Any = getattr(pattern.callback, "view_class", None)
        if view is None or str(pattern.pattern) == "api/schema":
            continue
        methods = {name.upper() for name in ("get", "post", "put", "patch", "delete") if hasattr(view, name)}
        assert methods == set(view.needs), str(pattern.pattern)


def test_every_act_is_needed_somewhere() -> None:
    used = {act for need in needs().values() for act in need.acts}
    assert set(ACTS) - used == {"sources", "checks", "stand-in"} - used


@pytest.mark.parametrize("act", ACTS)
def test_an_act_opens_what_needs_it_and_nothing_else(as_user: Sessions, act: ActName) -> None:
    """Over everything: refused exactly where another act is needed."""
    given("one", [act])
    session, resolver, wanted = as_user("one"), get_resolver(), needs()
    rights = rights_of(Account.objects.get(login="one"))
    for method, path, body, keeper, _, _ in ENDPOINTS:
        route = str(resolver.resolve(f"/api/{path.partition('?')[0]}").route)
        need = wanted.get((method, route))
        if need is None or need.who != "duty" or path == "session":
            continue
        status = session.call_status(method, path, body)
        if not need.met_by(rights):
            assert status == 403, (act, method, path)
        else:
            assert status in (keeper, 403, 404, 422, 409), (act, method, path, status)


@pytest.mark.parametrize("act", ACTS)
def test_an_act_out_of_scope_opens_nothing(as_user: Sessions, act: ActName) -> None:
    """Within what is not there: no address of people, models, roles, pages or looks answers with anything of them."""
    given("one", [act], NOWHERE)
    session = as_user("one")
    if not DIMENSIONS[act]:
        return
    for method, path, body, _, _, _ in ENDPOINTS:
        if path.startswith(
            ("session", "my/", "nothing", "vocabulary", "directory/attributes", "looks", "pinned-sets", "tasks", "uploads", "directory/import", "schema")
        ):
            continue
        status, told = session.call(method, path, body)
        if status < 300:
            assert method == "GET" or path in ("acts", "grid", "reach", "reach/underway", "check", "releases/pending"), (act, method, path, told)
            written = json.dumps(told)
            for word in ("Ann", "fell", "Steward", "kwh", "Output", "stewards"):
                assert word not in written, (act, path, word)


def test_people_outside_of_the_scope_are_absent(as_user: Sessions) -> None:
    given("desk", ["people", "map"], people(LEAF))
    desk = as_user("desk")
    told = desk.ok("GET", "people")
    assert [person["login"] for person in told["people"]] == ["ann"]
    assert desk.error("GET", "people/bob") == (404, "not_found")
    assert desk.error("GET", "people/nobody") == (404, "not_found")
    assert desk.ok("GET", "people/ann")["shares"] == {}
    assert desk.error("POST", "acts", {"change_people": {"logins": ["bob"], "name": "Rob"}}) == (404, "not_found")
    desk.ok("POST", "acts", {"change_people": {"logins": ["ann"], "name": "Anne"}})


def test_people_are_found_by_the_tree_and_the_groups_as_they_are_now(as_user: Sessions, boss: Session) -> None:
    given("desk", ["people"], people({"groups": ["others"]}))
    desk = as_user("desk")
    assert desk.ok("GET", "people")["people"] == []
    boss.ok("POST", "acts", {"save_group": {"name": "others", "version": 1, "add_groups": ["stewards"]}})
    assert [person["login"] for person in desk.ok("GET", "people")["people"]] == ["ann"]


def test_a_duty_acts_between_its_days(as_user: Sessions) -> None:
    today = timezone.now().date()
    given("soon", ["people"], **{"from": today + timedelta(days=2)})
    given("over", ["people"], until=today - timedelta(days=2))
    given("now", ["people"], **{"from": today - timedelta(days=2), "until": today + timedelta(days=2)})
    assert [as_user(login).call_status("GET", "people") for login in ("soon", "over", "now")] == [403, 403, 200]


def test_a_duty_comes_by_a_group_while_it_is_enabled(as_user: Sessions, boss: Session) -> None:
    boss.ok("POST", "duties", {"duty": {"group": "stewards", "acts": ["trail"], "within": "everything"}})
    ann = as_user("ann")
    assert ann.call_status("GET", "trail") == 200
    assert ann.ok("GET", "my/duties")["duties"][0]["path"] == ["stewards"]
    boss.ok("POST", "acts", {"save_group": {"name": "stewards", "version": 1, "enabled": False}})
    assert ann.call_status("GET", "trail") == 403


def test_two_people_who_change_one_duty_are_told_of_each_other(boss: Session) -> None:
    boss.ok("POST", "duties", {"duty": {"user": "ann", "acts": ["trail"], "within": "everything"}})
    entry = boss.ok("GET", "duties")["duties"][-1]
    changed = {**entry["duty"], "reason": "stands in for Bob"}
    boss.ok("PUT", f"duties/{entry['id']}", {"duty": changed, "version": entry["version"]})
    assert boss.error("PUT", f"duties/{entry['id']}", {"duty": changed, "version": entry["version"]}) == (409, "stale")
    assert boss.error("DELETE", f"duties/{entry['id']}?version={entry['version']}") == (409, "stale")


def test_a_scope_that_names_what_is_not_there_is_refused_and_one_that_lost_it_says_so(boss: Session) -> None:
    duty = {"user": "ann", "acts": ["people"], "within": {"people": {"groups": ["others"]}, "attributes": "all"}}
    boss.ok("POST", "duties", {"duty": duty})
    wrong = {**duty, "within": {"people": {"groups": ["nowhere"]}}}
    status, told = boss.call("POST", "duties", {"duty": wrong})
    assert (status, told["error"]["message"]) == (422, "This scope names what is not here: nowhere.")
    boss.ok("POST", "acts", {"delete_group": {"name": "others"}})
    entry = boss.ok("GET", "duties")["duties"][-1]
    assert (entry["unknown"], entry["silent"]) == (["others"], [])


def test_what_an_account_may_do_and_who_may_do_it_are_told_with_the_path(boss: Session, as_user: Sessions) -> None:
    boss.ok("POST", "duties", {"duty": {"group": "stewards", "acts": ["map"], "within": {"people": LEAF, "roles": ["steward"]}}})
    told = boss.ok("GET", "duties/of/ann")
    assert [(item["duty"]["acts"], item["path"], item["given_by"]) for item in told["duties"]] == [(["map"], ["stewards"], "boss")]
    asked = {"act": "map", "person": "ann", "role": "steward"}
    assert [(item["login"], item["path"]) for item in boss.ok("POST", "duties/who", asked)["accounts"]] == [("ann", ["stewards"]), ("boss", [])]
    assert [item["login"] for item in boss.ok("POST", "duties/who", {**asked, "role": "all"})["accounts"]] == ["boss"]


def test_ready_made_sets_name_acts_and_what_has_to_be_chosen() -> None:
    for ready in SETS:
        assert set(ready.acts) <= set(ACTS)
        assert set(ready.chosen) <= {dimension for act in ready.acts for dimension in DIMENSIONS[act]}


def test_duties_end_with_the_account_or_group(boss: Session) -> None:
    boss.ok("POST", "duties", {"duty": {"group": "others", "acts": ["trail"], "within": "everything"}})
    Group.objects.get(name="others").delete()
    assert GivenDuty.objects.count() == 1


def test_duties_are_given_and_taken_on_the_machine_but_not_the_last_keepers(workspace: None, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(keeping, "set_up_django", lambda: None)

    def ends(*command: str) -> int:
        return CliRunner().invoke(app, ["duties", *command]).exit_code

    assert ends("take", "boss") == 2
    assert ends("give", "ann", "--set", "keeper") == 0
    assert "ann: " in CliRunner().invoke(app, ["duties", "list"]).stdout
    assert ends("take", "ann") == 0
    assert ends("give", "nobody", "--set", "keeper") == 2
    assert ends("give", "ann", "--set", "nothing") == 2
    assert ends("give", "ann") == 2
    assert [(duty.account and duty.account.login) for duty in GivenDuty.objects.all()] == ["boss"]
