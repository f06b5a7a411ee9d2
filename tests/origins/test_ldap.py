"""People from a directory that runs: read, tried, applied, held; and signing in by its passwords (accounts.md 16 to 19)."""

from collections.abc import Callable, Iterator
from typing import Any

import ldap
import pytest
from django.utils import timezone

from demo.slapd import READER, READER_PASSWORD, SUFFIX, Slapd, at, group_at
from moorland.server.directory.models import Account, Group, Invitation
from moorland.server.duties.models import GivenDuty
from moorland.server.origins import ldap_client
from moorland.server.origins.ldap_runs import run_due_directories
from moorland.server.origins.models import Origin, OriginRun
from tests.server.conftest import Session

LIMITS = {"gain": 100, "lose": 100, "gone_percent": 100}


def origin(directory: Slapd, **changes: Any) -> dict[str, Any]:
    """The directory as an origin."""
    people = {"base": f"ou=people,{SUFFIX}", "organization": "o", "attributes": {"areas": "departmentNumber"}}
    groups = {"base": f"ou=groups,{SUFFIX}"}
    written = {"kind": "ldap", "name": "head-office", "label": "Head office", "host": "127.0.0.1", "port": directory.port, "security": "none"}
    return {**written, "bind": READER, "people": people, "groups": groups, "bounds": LIMITS, **changes}


def looked(boss: Session, text: dict[str, Any], secret: str = READER_PASSWORD) -> Any:
    return boss.ok("POST", "settings/origins/try", {"origin": text, "secret": secret})


def listed(boss: Session, text: dict[str, Any], **groups: str) -> dict[str, Any]:
    """The origin with some of its groups filling groups here."""
    found = {item["name"]: item["entry"] for item in looked(boss, text)["groups"]}
    return {**text, "listed": [{"entry": found[name], "name": name, "group": here} for name, here in groups.items()]}


def kept(boss: Session, text: dict[str, Any], version: int | None = None) -> dict[str, Any]:
    answer: dict[str, Any] = boss.ok("PUT", "settings/origins", {"origin": text, "secret": READER_PASSWORD, "version": version})
    return answer


def run(boss: Session, accepted: str | None = None) -> Any:
    status, task = boss.call("POST", "settings/origins/of/head-office/runs", {"accepted": accepted})
    assert status == 202
    return task["result"] if task["state"] == "done" else task


def tried(boss: Session, text: dict[str, Any]) -> Any:
    status, task = boss.call("POST", "settings/origins/try/run", {"origin": text, "secret": READER_PASSWORD})
    assert (status, task["state"]) == (202, "done"), task
    return task["result"]


def by_name(report: Any) -> dict[str, Any]:
    return {row["name"]: row for row in report["rows"]}


@pytest.fixture
def connected(boss: Session, directory: Slapd) -> dict[str, Any]:
    """The directory's people are here; wardens are stewards."""
    text = listed(boss, origin(directory), wardens="stewards")
    kept(boss, text)
    assert run(boss)["state"] == "applied"
    return text


def test_what_is_there_is_shown(boss: Session, directory: Slapd) -> None:
    found = looked(boss, origin(directory))
    assert (found["reached"], found["count"]) == (True, 3)
    assert f"ou=people,{SUFFIX}" in found["bases"]
    assert found["people"][0]["values"]["uid"] == ["ida"]
    assert {item["name"]: (item["members"], item["inner"]) for item in found["groups"]} == {"wardens": (2, 1), "seniors": (2, 1), "nobody": (0, 0)}


def test_a_dry_run_tells_and_changes_nothing(boss: Session, directory: Slapd) -> None:
    text = listed(boss, origin(directory), wardens="stewards")
    report = tried(boss, text)
    assert report["counts"] == {"created": 3, "changed": 0, "unchanged": 0, "gone": 0, "refused": 0}
    assert sorted(report["gained"]) == ["ida", "kim"]
    assert report["notes"] == ["The group wardens is inside itself, through other groups. It was read once around."]
    assert not Account.objects.filter(login="ida").exists()


def test_people_come_with_what_is_said_of_them(connected: dict[str, Any]) -> None:
    jon = Account.objects.get(login="jon")
    assert (jon.name, jon.email, jon.organization.name, jon.attributes) == ("Jon Marsh", "jon@example.org", "leaf", {"areas": ["marsh", "fell"]})
    assert sorted(Group.objects.get(name="stewards").users.values_list("login", flat=True)) == ["ann", "ida", "kim"]


def test_renamed_moved_and_gone(boss: Session, directory: Slapd, connected: dict[str, Any]) -> None:
    ida = Account.objects.get(login="ida").pk
    change = directory.change()
    change.rename_s(at("ida"), "uid=ida.moor")
    change.modify_s(at("jon"), [(ldap.MOD_REPLACE, "o", [b"root"]), (ldap.MOD_DELETE, "departmentNumber", None)])
    change.delete_s(at("kim"))
    assert run(boss)["counts"] == {"created": 0, "changed": 2, "unchanged": 0, "gone": 1, "refused": 0}
    assert Account.objects.get(pk=ida).login == "ida.moor"
    jon = Account.objects.get(login="jon")
    assert (jon.organization.name, jon.attributes) == ("root", {})
    assert not Account.objects.get(login="kim").enabled
    assert "kim" not in Group.objects.get(name="stewards").users.values_list("login", flat=True)
    # The group still names where ida was: a directory that keeps no references is believed as it is.
    directory.change().modify_s(group_at("wardens"), [(ldap.MOD_ADD, "member", [b"uid=ida.moor,ou=people,dc=example,dc=org"])])
    assert run(boss)["state"] == "applied"


def test_who_comes_back_is_enabled_again(boss: Session, directory: Slapd, connected: dict[str, Any]) -> None:
    text = {**connected, "people": {**connected["people"], "filter": "(&(objectClass=inetOrgPerson)(!(uid=kim)))"}}
    kept(boss, text, version=1)
    assert run(boss)["counts"]["gone"] == 1
    kept(boss, connected, version=2)
    run(boss)
    assert Account.objects.get(login="kim").enabled


def test_who_is_disabled_here_stays_so(boss: Session, directory: Slapd, connected: dict[str, Any]) -> None:
    boss.ok("POST", "acts", {"change_people": {"logins": ["ida"], "enabled": False}})
    assert run(boss)["state"] == "same"
    assert not Account.objects.get(login="ida").enabled


def test_what_comes_from_it_is_changed_there(boss: Session, connected: dict[str, Any]) -> None:
    for change in (
        {"change_people": {"logins": ["ida"], "name": "Other"}},
        {"change_people": {"logins": ["ida"], "attributes": {"areas": ["fell", "marsh"]}}},
        {"change_people": {"logins": ["ida"], "leave": ["stewards"]}},
        {"delete_people": {"logins": ["ida"]}},
        {"delete_group": {"name": "stewards"}},
    ):
        assert boss.error("POST", "acts", change) == (409, "comes_from_elsewhere")
    boss.ok("POST", "acts", {"change_people": {"logins": ["ida"], "about": "on leave", "join": ["others"]}})
    boss.ok("POST", "acts", {"change_people": {"logins": ["bob"], "join": ["stewards"]}})


def test_a_login_that_is_taken_is_refused_until_it_is_joined(boss: Session, directory: Slapd, connected: dict[str, Any], settings: Any) -> None:
    mail = ("mail", [b"bob@example.org"])
    directory.change().add_s(at("bob"), [("objectClass", [b"inetOrgPerson"]), ("cn", [b"Bob Dale"]), ("sn", [b"Dale"]), ("uid", [b"bob"]), mail])
    row = by_name(tried(boss, connected))["bob"]
    assert (row["outcome"], row["why"], row["taken"]) == ("refused", "The login bob belongs to Bob, who is kept here.", "bob")
    boss.ok("POST", "settings/origins/of/head-office/joins", {"entry": row["key"], "login": "bob"})
    assert run(boss)["counts"]["changed"] == 1
    assert Account.objects.get(login="bob").name == "Bob Dale"
    # Bob's password is the directory's now: no link sets another, and nothing tells that.
    settings.MAIL_IS_SET_UP = True
    Account.objects.filter(login="bob").update(email_set_at=None)
    assert Session(None).call_status("POST", "session/forgotten", {"login": "bob"}) == 202
    assert not Invitation.objects.exists()


def test_two_entries_of_one_login_and_a_mail_in_use_are_refused_alone(boss: Session, directory: Slapd, connected: dict[str, Any]) -> None:
    change = directory.change()
    for place, values in (("cn=second,ou=people", {"uid": [b"ida"]}), ("cn=third,ou=people", {"uid": [b"third"], "mail": [b"jon@example.org"]})):
        name = place.split(",")[0].removeprefix("cn=").encode()
        change.add_s(f"{place},{SUFFIX}", [("objectClass", [b"inetOrgPerson"]), ("cn", [name]), ("sn", [b"Dale"]), *values.items()])
    change.modify_s(at("kim"), [(ldap.MOD_REPLACE, "cn", [b"Kim Vale"])])
    report = tried(boss, connected)
    refused = sorted(row["why"] for row in report["rows"] if row["outcome"] == "refused")
    assert refused[0] == "The e-mail jon@example.org belongs to jon already."
    assert all("stands in two entries" in why for why in refused[1:])
    assert len(refused) == 3
    run(boss)
    assert Account.objects.get(login="kim").name == "Kim Vale"
    assert Account.objects.get(login="ida").enabled


def test_a_run_beyond_the_bounds_is_held_until_somebody_looks(boss: Session, directory: Slapd, connected: dict[str, Any]) -> None:
    kept(boss, {**connected, "bounds": {"gain": 5, "lose": 20, "gone_percent": 30}}, version=1)
    change = directory.change()
    change.delete_s(at("kim"))
    held = run(boss)
    assert (held["state"], held["message"]) == ("held", "1 of 3 people are gone from it; up to 30 percent may be by itself.")
    assert Account.objects.get(login="kim").enabled
    # What is let through is what was looked at: something else is held anew.
    change.modify_s(at("jon"), [(ldap.MOD_REPLACE, "cn", [b"Jon Vale"])])
    again = run(boss, held["fingerprint"])
    assert again["state"] == "held"
    assert run(boss, again["fingerprint"])["state"] == "applied"
    assert not Account.objects.get(login="kim").enabled


def test_a_group_with_duties_is_filled_only_where_it_is_listed_so(boss: Session, directory: Slapd) -> None:
    duty = {"group": "others", "acts": ["people"], "within": "everything", "reason": "x"}
    boss.ok("POST", "duties", {"duty": duty})
    text = listed(boss, origin(directory), wardens="others")
    kept(boss, text)
    assert "others carries duties" in run(boss)["message"]
    assert not Group.objects.get(name="others").users.exists()
    kept(boss, {**text, "listed": [{**text["listed"][0], "duties": True}]}, version=1)
    run(boss)
    assert Group.objects.get(name="others").users.count() == 2


def test_signing_in_by_the_password_of_the_directory(as_user: Callable[[str | None], Session], directory: Slapd, connected: dict[str, Any]) -> None:
    def signs_in(login: str, password: str) -> int:
        return Session(None).call_status("POST", "session", {"login": login, "password": password})

    assert signs_in("ida", "ida came in") == 200
    for password in ("", "wrong", "ida came in\0", "*"):
        assert signs_in("ida", password) in (400, 401)
    for login in ("ida)(uid=*", "*", "ida,ou=people", "*)(objectClass=*"):
        assert signs_in(login, "ida came in") == 401
    # Moved since it was read: found by its key.
    directory.change().rename_s(at("ida"), "uid=ida.moor")
    assert signs_in("ida", "ida came in") == 200
    directory.stop()
    assert signs_in("ida", "ida came in") == 401
    assert signs_in("boss", "a long password") == 200


def test_a_directory_that_stops_leaves_people_as_they_were(boss: Session, directory: Slapd, connected: dict[str, Any]) -> None:
    directory.stop()
    task = run(boss)
    assert task["state"] == "failed"
    assert "127.0.0.1 cannot be reached" in task["problems"][0]["message"]
    assert Origin.objects.get().trouble.startswith("127.0.0.1 cannot be reached")
    assert Account.objects.get(login="ida").enabled
    assert Origin.objects.get().running_since is None


@pytest.mark.parametrize("security", ["ldaps", "starttls"])
def test_certificates_are_looked_at(boss: Session, directory: Slapd, security: str) -> None:
    port = directory.tls_port if security == "ldaps" else directory.port
    text = origin(directory, security=security, port=port)
    refused = looked(boss, text)
    assert (refused["reached"], "certificate" in refused["message"]) == (False, True)
    vouched = (directory.folder / "authority.pem").read_text()
    assert looked(boss, {**text, "certificate": vouched})["count"] == 3


def test_what_is_wrong_is_told_in_sentences(boss: Session, directory: Slapd) -> None:
    text = origin(directory)
    for changed, secret, told in (
        ({"bind": "cn=other"}, READER_PASSWORD, "does not take this name"),
        ({}, "wrong", "does not take this name"),
        ({"people": {"base": "ou=elsewhere,dc=example,dc=org"}}, READER_PASSWORD, "There is nothing at"),
        ({"people": {"base": f"ou=people,{SUFFIX}", "filter": "(uid=*"}}, READER_PASSWORD, "is no filter"),
        ({"host": "elsewhere.example"}, READER_PASSWORD, "MOORLAND_SOURCE_HOSTS"),
    ):
        assert told in looked(boss, {**text, **changed}, secret)["message"]


def test_a_secret_is_not_sent_elsewhere(boss: Session, directory: Slapd) -> None:
    text = origin(directory)
    kept(boss, text)
    assert boss.ok("POST", "settings/origins/try", {"origin": text})["reached"]
    assert not boss.ok("POST", "settings/origins/try", {"origin": {**text, "port": directory.tls_port}})["reached"]
    saved = boss.ok("PUT", "settings/origins", {"origin": {**text, "host": "localhost"}, "version": 1})
    assert not saved["has_secret"]


def test_a_thousand_people_are_read_page_by_page(boss: Session, directory: Slapd) -> None:
    change = directory.change()
    for number in range(1100):
        name = f"p{number}"
        change.add_s(at(name), [("objectClass", [b"inetOrgPerson"]), ("cn", [name.encode()]), ("sn", [b"x"]), ("uid", [name.encode()])])
    kept(boss, origin(directory))
    assert run(boss)["counts"]["created"] == 1103


def test_everybody_gone_at_once_is_not_believed(boss: Session, directory: Slapd, connected: dict[str, Any]) -> None:
    kept(boss, {**connected, "people": {**connected["people"], "filter": "(uid=nobody-at-all)"}}, version=1)
    assert "gives nobody at all" in run(boss)["problems"][0]["message"]


def test_a_directory_that_stops_in_the_middle_changes_nothing(
    boss: Session, directory: Slapd, connected: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    directory.change().modify_s(at("ida"), [(ldap.MOD_REPLACE, "cn", [b"Ida Vale"])])
    monkeypatch.setattr(ldap_client, "PAGE", 1)
    whole = ldap_client.Directory.entries

    def stopping(self: ldap_client.Directory, *asked: Any, **more: Any) -> Iterator[ldap_client.Entry]:
        for entry in whole(self, *asked, **more):
            yield entry
            directory.stop()

    monkeypatch.setattr(ldap_client.Directory, "entries", stopping)
    assert "The directory stopped answering" in run(boss)["problems"][0]["message"]
    assert Account.objects.get(login="ida").name == "Ida Fell"
    assert OriginRun.objects.first().state == "failed"  # type: ignore[union-attr]


def test_a_directory_is_read_by_schedule_by_who_keeps_it(boss: Session, directory: Slapd, connected: dict[str, Any]) -> None:
    kept(boss, {**connected, "when": {"minutes": 60}}, version=1)
    directory.change().modify_s(at("ida"), [(ldap.MOD_REPLACE, "cn", [b"Ida Vale"])])
    assert run_due_directories() == 0
    Origin.objects.update(next_at=timezone.now())
    assert run_due_directories() == 1
    assert Account.objects.get(login="ida").name == "Ida Vale"
    assert Origin.objects.get().next_at > timezone.now()  # type: ignore[operator]
    # Whoever keeps it may not do everything any more: it says so, and changes nothing.
    GivenDuty.objects.filter(account__login="boss").update(acts=["settings"])
    Origin.objects.update(next_at=timezone.now())
    run_due_directories()
    assert Origin.objects.get().trouble == "Boss has no duty over everything any more, which a directory needs."
