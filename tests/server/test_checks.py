"""Findings, guarding and the probe over the API: for who keeps checks over everything, values for who may look at them."""

from datetime import timedelta
from typing import Any

from django.utils import timezone

from moorland.core.bundle.reading import read_document
from moorland.server.access.models import AccessToken
from moorland.server.checks.running import affected_first
from moorland.server.directory.models import Account
from moorland.server.trail.models import Entry
from tests.server.conftest import Session
from tests.server.duties import Sessions, given


def test_a_proposed_promise_is_kept_in_one_step_and_guards_its_sentence(boss: Session) -> None:
    before = boss.ok("GET", "guard")
    assert before["ready"] and before["guarded"] == 0
    item = next(item for item in before["sentences"] if item["role"] == "steward" and item["sentence"] == 0)
    promise = item["proposed"]
    boss.ok("PUT", f"promises/of/{promise['name']}", {"promise": promise, "version": None})
    after = boss.ok("GET", "guard")
    found = next(item for item in after["sentences"] if item["role"] == "steward" and item["sentence"] == 0)
    assert promise["name"] in found["mutants"][0]["noticed_by"]


def finding(session: Session, kind: str) -> dict[str, Any]:
    return next(item for item in session.ok("GET", "findings")["findings"] if item["kind"] == kind)


def test_a_finding_is_accepted_until_a_day_with_a_reason_and_taken_up_again(boss: Session) -> None:
    first = boss.ok("GET", "findings")["findings"][0]
    assert boss.error("POST", "findings/accepted", {"key": first["key"], "reason": "as it is", "until": "2001-01-01"}) == (422, "invalid")
    assert boss.error("POST", "findings/accepted", {"key": first["key"], "reason": " ", "until": "2099-01-01"})[0] == 400
    boss.ok("POST", "findings/accepted", {"key": first["key"], "reason": "as it is", "until": "2099-01-01"})
    told = finding(boss, first["kind"])["accepted"]
    assert (told["reason"], told["by"], told["until"]) == ("as it is", "boss", "2099-01-01")
    boss.ok("DELETE", f"findings/accepted/{first['key']}")
    assert finding(boss, first["kind"])["accepted"] is None
    assert [entry.action for entry in Entry.objects.order_by("number")][-2:] == ["accept finding", "take finding up again"]


def test_a_duty_with_one_holder_is_told_and_one_with_two_is_not(boss: Session) -> None:
    assert finding(boss, "duty_with_one_holder")["message"] == "Only Boss may keep the settings."
    given("bob", ["settings", "release", "people"])
    assert "duty_with_one_holder" not in [item["kind"] for item in boss.ok("GET", "findings")["findings"]]


def test_a_token_and_a_password_older_than_their_rule_are_told(boss: Session) -> None:
    ann, long_ago = Account.objects.get(login="ann"), timezone.now() - timedelta(days=90)
    AccessToken.objects.create(account=ann, name="nightly", token_hash="x", scope={}, created_at=long_ago)
    Account.objects.filter(pk=ann.pk).update(password_never_expires=True, password_set_at=long_ago)
    assert "secret_too_old" not in [item["kind"] for item in boss.ok("GET", "findings")["findings"]]
    stored = boss.ok("GET", "settings/sign-in")
    boss.ok("PUT", "settings/sign-in", {"rules": stored["rules"] | {"expiry_days": 60}, "version": stored["version"]})
    told = [item["message"] for item in boss.ok("GET", "findings")["findings"] if item["kind"] == "secret_too_old"]
    assert told == ["1 token is older than their rule: ann/nightly.", "1 password is older than their rule: ann."]


def test_promises_about_what_changed_are_run_before_others() -> None:
    about = {name: {"name": name, "viewer": "ann", "must": {"rows": {"model": name, "table": "t", "count": 0}}} for name in ("a", "b")}
    policy = {"models": [{"name": "a"}, {"name": "b"}], "users": [{"login": "ann", "name": "Ann"}], "promises": list(about.values())}
    before = read_document({"moorland": 1, "name": "w", **policy})
    after = read_document({"moorland": 1, "name": "w", **policy, "roles": [{"name": "r", "kind": "grant", "model": "b", "sentences": []}]})
    assert [promise.name for promise in affected_first(before, after)] == ["b", "a"]
    assert [promise.name for promise in affected_first(after, before)] == ["b", "a"]


def test_findings_since_the_last_look_are_marked(boss: Session) -> None:
    keys = [item["key"] for item in boss.ok("GET", "findings")["findings"]]
    assert not any(item["new"] for item in boss.ok("GET", "findings")["findings"])
    boss.ok("POST", "findings/seen", {"keys": keys[1:]})
    assert [item["key"] for item in boss.ok("GET", "findings")["findings"] if item["new"]] == keys[:1]


def test_without_looking_at_values_nothing_is_quoted(as_user: Sessions) -> None:
    given("bob", ["checks", "look-shapes"])
    bob = as_user("bob")
    guarded = bob.ok("GET", "guard")["sentences"]
    assert all(item["proposed"] is None and "'" not in item["says"] for item in guarded)
    assert all(not item["evidence"] and item["edit"] is None for item in bob.ok("GET", "findings")["findings"])
    for viewer in bob.ok("GET", "probe")["viewers"]:
        assert all(not item.get("arithmetic") and item.get("value") is None for item in viewer["found"])
    find = {"kind": "door", "model": "m", "subject": {}, "by": [], "arithmetic": ""}
    assert bob.error("POST", "probe/closings", {"viewer": "ann", "find": find}) == (403, "outside")


def test_probing_as_somebody_is_in_the_trail(boss: Session) -> None:
    assert [item["viewer"] for item in boss.ok("GET", "probe?viewer=ann")["viewers"]] == ["ann"]
    entry = Entry.objects.latest("number")
    assert (entry.actor, entry.subject, entry.details["viewers"]) == ("boss", "probe", ["ann"])
    assert boss.error("GET", "probe?viewer=nobody") == (404, "not_found")
