"""Ways in (accounts.md 7 to 12): tokens, standing in, second factors, sessions, sign-in rules, one's own account, coming and going."""

import time
from collections.abc import Iterator
from datetime import timedelta
from typing import Any

import pyotp
import pytest
from django.conf import settings
from django.test import Client
from django.utils import timezone

from moorland.core.bundle.duties import ACTS
from moorland.server.access import sessions
from moorland.server.access.models import AccessToken, OpenSession, SecondFactor
from moorland.server.changes import outdate
from moorland.server.directory.models import Account
from moorland.server.keys import sealing_keys
from moorland.server.trail.models import Entry
from tests.server.conftest import PASSWORD, Session
from tests.server.duties import LEAF, Sessions, given, people

ASK = {"ask": [{"totals": {"model": "m", "measures": ["energy"]}}]}
NEW = "another good password"


@pytest.fixture(autouse=True)
def looked_anew() -> Iterator[None]:
    sessions._looked.clear()
    yield


class Program:
    """Calls the API with a token."""

    def __init__(self, token: str, **headers: str) -> None:
        self.client = Client(headers={"Authorization": f"Bearer {token}", **headers})

    def call(self, method: str, path: str, body: Any = None) -> tuple[int, Any]:
        response = self.client.generic(method, f"/api/{path}", __import__("json").dumps(body) if body is not None else "", content_type="application/json")
        return response.status_code, response.json() if response.content else None


def token_of(session: Session, *acts: str, **more: Any) -> str:
    scope = {"acts": list(acts), **({"models": more.pop("models")} if "models" in more else {})}
    made: str = session.ok("POST", "my/tokens", {"name": "-".join(acts), "scope": scope, **more})["token"]
    return made


def total(told: Any) -> Any:
    return told["answers"][0].get("total")


def test_a_token_asks_as_its_owner(as_user: Sessions) -> None:
    token = token_of(as_user("ann"), "read")
    status, told = Program(token).call("POST", "my/answers", ASK)
    assert (status, total(told)) == (200, [500])
    assert AccessToken.objects.get().last_used_at is not None
    assert token not in str(AccessToken.objects.values())


@pytest.mark.parametrize("wrong", ["", "moorland_nothing", "expired", "truncated", "ended", "foreign"])
def test_every_token_that_is_none_is_refused_in_the_same_words(as_user: Sessions, wrong: str) -> None:
    ann = as_user("ann")
    token = token_of(ann, "read")
    if wrong == "expired":
        AccessToken.objects.update(expires_at=timezone.now() - timedelta(seconds=1))
    elif wrong == "truncated":
        token = token[:-1]
    elif wrong == "ended":
        ann.ok("DELETE", f"my/tokens/{AccessToken.objects.get().pk}")
    elif wrong == "foreign":
        token = "moorland_" + "x" * 43
    else:
        token = wrong
    status, told = Program(token).call("POST", "my/answers", ASK)
    assert (status, told["error"]["message"]) == (401, "You are not signed in.")


def test_a_token_ends_with_its_account_and_never_does_more_than_it(as_user: Sessions, boss: Session) -> None:
    token = token_of(as_user("ann"), "read")
    boss.ok("POST", "acts", {"change_people": {"logins": ["ann"], "enabled": False}})
    assert Program(token).call("POST", "my/answers", ASK)[0] == 401
    boss.ok("POST", "acts", {"change_people": {"logins": ["ann"], "enabled": True}})
    Account.objects.filter(login="ann").update(last_day=timezone.now().date() - timedelta(days=1))
    assert Program(token).call("POST", "my/answers", ASK)[0] == 401
    keeper = token_of(boss, "read")
    assert Program(keeper).call("GET", "duties")[0] == 403
    assert Program(keeper).call("POST", "who", {"about": {"page": "output"}})[0] == 200


def test_only_a_token_with_the_scope_of_people_changes_anything(boss: Session) -> None:
    change = {"change_people": {"logins": ["bob"], "name": "Rob"}}
    assert Program(token_of(boss, "read")).call("POST", "acts", change)[0] == 403
    writer = Program(token_of(boss, "people"))
    assert writer.call("POST", "acts", change)[0] == 200
    for method, path, body in (
        ("POST", "releases", {"hash": "x"}),
        ("POST", "roles", {"role": {"name": "x", "kind": "grant", "model": "m"}}),
        ("POST", "duties", {"duty": {"user": "bob", "acts": ["trail"], "within": "everything"}}),
        ("POST", "models", {"name": "x"}),
        ("PUT", "session/password", {"present": PASSWORD, "password": NEW}),
        ("POST", "my/tokens", {"name": "more", "scope": {"acts": ["read"]}}),
        ("GET", "my/account", None),
        ("PUT", "settings/sign-in", {"rules": {}, "version": 1}),
        ("PUT", "pinned-sets/x", {"pins": [{"title": "Ann", "detail": "", "viewer": "ann"}]}),
    ):
        assert writer.call(method, path, body)[0] == 403, path
    assert writer.call("POST", "my/answers", ASK)[0] == 403


def test_a_token_reaches_only_its_models(boss: Session) -> None:
    program = Program(token_of(boss, "read", models=["other"]))
    assert program.call("POST", "my/answers", ASK)[0] == 404
    assert program.call("GET", "my/pages")[1]["shelves"] == []
    assert program.call("GET", "my/pages/output")[0] == 404
    asked = {"state": "live", "viewers": ["ann"], "ask": [{"totals": {"model": "m", "measures": ["energy"]}}]}
    assert program.call("POST", "evaluate", asked)[0] in (403, 404)


def test_who_stands_in_gets_exactly_the_others_answers_and_both_names_are_in_the_trail(as_user: Sessions) -> None:
    given("portal", ["stand-in"], people(LEAF))
    portal = as_user("portal")
    own, theirs = as_user("ann").ok("POST", "my/answers", ASK), Program(token_of(portal, "stand-in"), **{"Moorland-As": "ann"})
    assert theirs.call("POST", "my/answers", ASK) == (200, own)
    assert theirs.call("GET", "my/pages")[1]["shelves"][0]["pages"] == [{"name": "output", "label": "Output", "by": None}]
    entry = Entry.objects.filter(subject="stands in").first()
    assert entry is not None
    assert (entry.actor, entry.details["viewers"]) == ("portal", ["ann"])


def test_standing_in_reaches_nobody_outside_and_nothing_but_answers(as_user: Sessions) -> None:
    given("portal", ["stand-in", "people"], people(LEAF))
    token = token_of(as_user("portal"), "stand-in", "people")
    outside = [Program(token, **{"Moorland-As": name}).call("POST", "my/answers", ASK) for name in ("bob", "nobody")]
    assert [status for status, _ in outside] == [404, 404]
    assert Program(token, **{"Moorland-As": "ann"}).call("GET", "people")[0] == 403
    assert Program(token).call("POST", "my/answers", ASK)[0] == 403
    assert Program(token_of(as_user("ann"), "read"), **{"Moorland-As": "bob"}).call("POST", "my/answers", ASK)[0] == 404


def test_nobody_stands_in_for_an_account_with_wider_duties(as_user: Sessions) -> None:
    given("portal", ["stand-in"])
    program = Program(token_of(as_user("portal"), "stand-in"), **{"Moorland-As": "boss"})
    assert program.call("POST", "my/answers", ASK)[0] == 403


def code_of(login: str) -> str:
    factor = SecondFactor.objects.get(account__login=login)
    return pyotp.TOTP(sealing_keys(settings.SEALING_KEYS).decrypt(factor.sealed.encode()).decode()).now()


def later(login: str) -> None:
    """A code of the present step may be taken again."""
    SecondFactor.objects.filter(account__login=login).update(last_step=int(time.time()) // 30 - 3)


def with_factor(session: Session, login: str) -> list[str]:
    session.ok("POST", "my/second-factor")
    codes: list[str] = session.ok("PUT", "my/second-factor", {"code": code_of(login)})["codes"]
    later(login)
    return codes


def enter(code: str = "", password: str = PASSWORD) -> tuple[int, str | None]:
    status, told = Session(None).call("POST", "session", {"login": "ann", "password": password, "code": code})
    return status, told["error"]["code"] if "error" in told else None


def test_a_second_factor_is_asked_for_and_each_code_is_taken_once(as_user: Sessions) -> None:
    recovery = with_factor(as_user("ann"), "ann")
    assert enter() == (401, "second_factor")
    assert enter("000000") == (401, "wrong_code")
    assert enter(code_of("ann"), "wrong") == (401, "signed_out")
    code = code_of("ann")
    assert enter(code) == (200, None)
    assert enter(code) == (401, "wrong_code")
    assert enter(recovery[0]) == (200, None)
    assert enter(recovery[0]) == (401, "wrong_code")


def test_a_second_factor_outlives_a_rotation_of_the_keys(as_user: Sessions) -> None:
    from moorland.server.directory.secret_values import rotated

    with_factor(as_user("ann"), "ann")
    rotated()
    assert enter(code_of("ann")) == (200, None)


def test_a_mail_that_is_taken_tells_nobody_whose_it_is(as_user: Sessions, boss: Session) -> None:
    boss.ok("POST", "acts", {"change_people": {"logins": ["bob"], "email": "bob@here.example"}})
    ann = as_user("ann")
    status, told = ann.call("PATCH", "my/account", {"version": ann.ok("GET", "my/account")["version"], "email": "bob@here.example"})
    assert (status, told["error"]["message"]) == (422, "This e-mail is taken here already.")


def test_a_clock_that_is_a_day_off_gives_no_code(as_user: Sessions) -> None:
    with_factor(as_user("ann"), "ann")
    factor = SecondFactor.objects.get()
    clock = pyotp.TOTP(sealing_keys(settings.SEALING_KEYS).decrypt(factor.sealed.encode()).decode())
    assert enter(clock.at(int(time.time()) - 86_400)) == (401, "wrong_code")
    assert enter(clock.at(int(time.time()) + 86_400)) == (401, "wrong_code")


def test_wrong_codes_are_throttled_as_wrong_passwords_are(as_user: Sessions) -> None:
    with_factor(as_user("ann"), "ann")
    assert [enter("000000")[0] for _ in range(9)][-1] == 429
    assert enter(code_of("ann"))[0] == 429


def test_attempts_and_the_pause_are_as_the_rules_say(as_user: Sessions, boss: Session) -> None:
    boss.ok("PUT", "settings/sign-in", {"rules": {"attempts": 3, "pause_minutes": 1}, "version": 1})
    assert [enter(password="wrong")[0] for _ in range(3)] == [401, 401, 429]
    status, told = Session(None).call("POST", "session", {"login": "ann", "password": PASSWORD})
    assert (status, told["error"]["message"]) == (429, "Too many attempts. Wait a minute, then try again.")


def test_a_second_factor_is_taken_away_with_the_password_or_by_who_could_give_all(as_user: Sessions, boss: Session) -> None:
    ann = as_user("ann")
    with_factor(ann, "ann")
    assert ann.error("POST", "my/second-factor/end", {"password": "wrong"}) == (422, "wrong_password")
    given("desk", ["links"], people(LEAF))
    assert as_user("desk").error("DELETE", "people/ann/access") == (403, "not_allowed")
    boss.ok("DELETE", "people/ann/access")
    assert not SecondFactor.objects.exists()
    assert ann.error("GET", "my/account") == (401, "signed_out")


def test_a_required_second_factor_is_set_up_before_anything_else(as_user: Sessions, boss: Session) -> None:
    told = boss.ok("POST", "settings/sign-in/try", {"second_factor": "required"})
    assert told["second_factor"] == ["ann", "bob", "boss"]
    boss.ok("PUT", "settings/sign-in", {"rules": {"second_factor": "required"}, "version": 1})
    ann = as_user("ann")
    assert ann.ok("GET", "session")["first"] == "second_factor"
    assert ann.error("GET", "my/pages") == (403, "first_second_factor")
    with_factor(ann, "ann")
    ann.ok("GET", "my/pages")


def test_a_password_that_is_over_is_changed_before_anything_else(as_user: Sessions, boss: Session) -> None:
    Account.objects.filter(login="ann").update(password_set_at=timezone.now() - timedelta(days=40))
    assert boss.ok("POST", "settings/sign-in/try", {"expiry_days": 30})["password"] == ["ann"]
    boss.ok("PUT", "settings/sign-in", {"rules": {"expiry_days": 30, "reuse": 2, "least_length": 14}, "version": 1})
    ann = as_user("ann")
    assert ann.error("GET", "my/pages") == (403, "first_password")
    assert ann.error("PUT", "session/password", {"present": PASSWORD, "password": PASSWORD}) == (422, "weak_password")
    assert ann.error("PUT", "session/password", {"present": PASSWORD, "password": "short but ok"}) == (422, "weak_password")
    ann.ok("PUT", "session/password", {"present": PASSWORD, "password": NEW})
    ann.ok("GET", "my/pages")
    assert ann.error("PUT", "session/password", {"present": NEW, "password": PASSWORD}) == (422, "weak_password")


def test_stale_rules_are_refused(boss: Session) -> None:
    boss.ok("PUT", "settings/sign-in", {"rules": {"reuse": 1}, "version": 1})
    assert boss.error("PUT", "settings/sign-in", {"rules": {"reuse": 3}, "version": 1}) == (409, "stale")


def test_sessions_are_listed_and_ended(as_user: Sessions) -> None:
    here, there = as_user("ann"), as_user("ann")
    listed = here.ok("GET", "my/account")["sessions"]
    assert [item["own"] for item in listed].count(True) == 1
    here.ok("DELETE", f"my/sessions/{next(item['id'] for item in listed if not item['own'])}")
    assert there.error("GET", "my/account") == (401, "signed_out")
    as_user("ann")
    assert len(here.ok("DELETE", "my/sessions")["sessions"]) == 1
    assert here.error("DELETE", f"my/sessions/{OpenSession.objects.get().pk + 1}") == (404, "not_found")


def test_an_idle_session_ends(as_user: Sessions, boss: Session) -> None:
    ann = as_user("ann")
    boss.ok("PUT", "settings/sign-in", {"rules": {"idle_minutes": 10}, "version": 1})
    OpenSession.objects.filter(account__login="ann").update(seen_at=timezone.now() - timedelta(minutes=11))
    sessions._looked.clear()
    assert ann.error("GET", "my/pages") == (401, "signed_out")


def test_a_session_seen_while_the_clock_was_ahead_is_measured_by_the_clock_as_it_is(as_user: Sessions, boss: Session) -> None:
    ann = as_user("ann")
    boss.ok("PUT", "settings/sign-in", {"rules": {"idle_minutes": 10}, "version": 1})
    OpenSession.objects.filter(account__login="ann").update(seen_at=timezone.now() + timedelta(days=400))
    sessions._looked.clear()
    ann.ok("GET", "my/pages")
    assert OpenSession.objects.get(account__login="ann").seen_at <= timezone.now()


def test_another_password_ends_all_other_sessions(as_user: Sessions) -> None:
    here, there = as_user("ann"), as_user("ann")
    here.ok("PUT", "session/password", {"present": PASSWORD, "password": NEW})
    assert there.error("GET", "my/pages") == (401, "signed_out")
    here.ok("GET", "my/pages")


def test_an_account_is_good_between_its_days_only(as_user: Sessions) -> None:
    today = timezone.now().date()
    Account.objects.filter(login="ann").update(first_day=today + timedelta(days=1))
    outdate("people")
    assert enter() == (401, "signed_out")
    Account.objects.filter(login="ann").update(first_day=today, last_day=today)
    assert enter() == (200, None)


@pytest.fixture
def mail(monkeypatch: pytest.MonkeyPatch) -> list[Any]:
    """Mail is set up; what was sent."""
    from django.core import mail

    monkeypatch.setattr(settings, "MAIL_IS_SET_UP", True)
    Account.objects.filter(login="ann").update(email="own@leaf.example")
    return mail.outbox


def link_in(message: Any) -> str:
    return str(message.body.split("/welcome#")[1].split()[0])


def test_a_forgotten_password_is_set_by_a_link_in_one_s_own_mail(as_user: Sessions, mail: list[Any]) -> None:
    nobody = Session(None)
    answers = [nobody.call("POST", "session/forgotten", {"login": login}) for login in ("ann", "nobody", "boss")]
    assert answers == [(202, None)] * 3
    assert [message.to for message in mail] == [["own@leaf.example"]]
    token = link_in(mail[0])
    assert nobody.ok("POST", "session/welcome", {"token": token, "password": NEW})["account"]["login"] == "ann"
    assert Session(None).error("POST", "session/welcome", {"token": token, "password": NEW}) == (422, "no_such_link")
    assert enter(password=NEW) == (200, None)


def test_a_mail_that_was_just_set_gets_no_link(as_user: Sessions, mail: list[Any]) -> None:
    Account.objects.filter(login="ann").update(email_set_at=timezone.now() - timedelta(days=6))
    Session(None).call("POST", "session/forgotten", {"login": "ann"})
    assert mail == []


def test_links_for_many_are_a_list_or_go_by_mail_and_never_shown_beyond_ones_duties(as_user: Sessions, boss: Session, mail: list[Any]) -> None:
    given("desk", ["links", "map"], people("all", roles=["steward"]))
    desk = as_user("desk")
    told = {item["login"]: item for item in desk.ok("POST", "invitations", {"logins": ["ann", "boss"]})["people"]}
    assert told["ann"]["path"].startswith("/welcome#")
    assert (told["boss"]["path"], told["boss"]["refused"] is not None) == (None, True)
    told = {item["login"]: item for item in desk.ok("POST", "invitations", {"logins": ["ann"], "mail": True})["people"]}
    assert (told["ann"]["path"], told["ann"]["mailed_to"]) == (None, "own@leaf.example")
    assert Session(None).ok("POST", "session/welcome", {"token": link_in(mail[-1]), "password": NEW})["account"]["login"] == "ann"
    given("near", ["links"], people(LEAF))
    assert as_user("near").error("POST", "invitations", {"logins": ["ann", "bob"]}) == (404, "not_found")


def test_days_and_how_somebody_signs_in_are_set_by_who_could_give_all_they_hold(as_user: Sessions, boss: Session) -> None:
    given("desk", ["people", "map"], people(LEAF, roles=["steward"]))
    desk = as_user("desk")
    flags = {"change_people": {"logins": ["ann"], "sign_in": {"must_change_password": True, "keeps_password": False}, "good": {"until": "2030-01-01"}}}
    desk.ok("POST", "acts", flags)
    assert as_user("ann").error("GET", "my/pages") == (403, "first_password")
    assert desk.ok("GET", "people/ann")["good"] == {"from": None, "until": "2030-01-01"}
    boss.ok("POST", "roles/all/assignments", {"add": [{"user": "ann"}]})
    assert desk.error("POST", "acts", flags) == (403, "not_allowed")
    assert desk.error("POST", "acts", {"change_people": {"logins": ["bob"], "sign_in": {"keeps_password": True}}}) == (404, "not_found")
    over = {"change_people": {"logins": ["ann"], "good": {"from": "2031-01-01", "until": "2030-01-01"}}}
    assert boss.error("POST", "acts", over) == (422, "invalid")
    boss.ok("POST", "acts", {"change_people": {"logins": ["ann"], "good": {"until": "2020-01-01"}}})
    assert boss.ok("GET", "people/ann")["nothing"] is not None
    assert boss.ok("GET", "people/ann")["enabled"] is True


def test_who_leaves_hands_over_and_is_out_after_the_day(as_user: Sessions, boss: Session) -> None:
    boss.ok("POST", "roles/all/assignments", {"add": [{"user": "ann"}]})
    page = next(item["page"] for shelf in boss.ok("GET", "pages")["shelves"] for item in shelf["pages"] if item["page"]["name"] == "output")
    boss.ok("PUT", "pages/output", {"page": {**page, "owner": "ann"}, "version": 1})
    token = token_of(as_user("ann"), "read")
    gone = (timezone.now() - timedelta(days=1)).date().isoformat()
    asked = {"leave": {"login": "ann", "last_day": gone, "hand_over_to": "bob"}}
    given("desk", ["people", "map"])
    assert as_user("desk").error("POST", "acts", asked) == (403, "not_allowed")
    boss.ok("POST", "acts", asked)
    assert Program(token).call("POST", "my/answers", ASK)[0] == 401
    assert enter() == (401, "signed_out")
    assert not AccessToken.objects.exists()
    pages = boss.ok("GET", "pages")["shelves"]
    assert [item["page"]["owner"] for shelf in pages for item in shelf["pages"] if item["page"]["name"] == "output"] == ["bob"]
    mapped = next(item for item in boss.ok("GET", "roles")["roles"] if item["role"]["name"] == "all")["assignments"]
    assert [item["assignment"]["until"] for item in mapped if item["assignment"]["user"] == "ann"] == [gone]
    assert boss.error("POST", "acts", {"leave": {"login": "boss", "last_day": gone}})[0] == 422


def test_one_s_own_account_is_told_and_changed_as_far_as_it_is_one_s_own(as_user: Sessions, boss: Session) -> None:
    ann = as_user("ann")
    told = ann.ok("GET", "my/account")
    assert [(role["label"], role["held_by"], role["until"]) for role in told["roles"]] == [("Steward", ["through stewards"], None)]
    assert {item["definition"]["name"]: item["editable"] for item in told["attributes"]} == {"areas": False}
    assert ann.error("PATCH", "my/account", {"version": told["version"], "attributes": {"areas": ["marsh"]}}) == (403, "not_allowed")
    assert ann.error("PATCH", "my/account", {"version": told["version"], "attributes": {"code": 9}}) == (403, "not_allowed")
    boss.ok("POST", "acts", {"save_attribute": {"definition": {"name": "areas", "type": "text", "multiple": True, "editable_by": "person"}, "version": 1}})
    asked = {"version": told["version"], "name": "Anne", "attributes": {"areas": ["marsh"]}}
    effect = ann.ok("PATCH", "my/account?try=true", asked)["viewers"][0]["tables"]
    assert [(item["table"], item["rows"], item["before"], item["after"]) for item in effect if item["table"] == "site"] == [("site", 2, 2, 1)]
    ann.ok("PATCH", "my/account", asked)
    assert ann.ok("GET", "my/account")["name"] == "Anne"
    assert ann.error("PATCH", "my/account", asked) == (409, "stale")


def test_nobody_gains_by_their_own_mail(as_user: Sessions, boss: Session) -> None:
    boss.ok("POST", "roles/all/assignments", {"add": [{"when": "viewer.mail_domain = 'board.example'"}]})
    ann = as_user("ann")
    version = ann.ok("GET", "my/account")["version"]
    assert ann.error("PATCH", "my/account", {"version": version, "email": "ann@board.example"}) == (403, "not_allowed")
    ann.ok("PATCH", "my/account", {"version": version, "email": "ann@leaf.example"})


def test_a_token_of_a_service_is_made_by_who_could_give_all_it_holds(as_user: Sessions, boss: Session) -> None:
    boss.ok("POST", "acts", {"add_person": {"login": "svc", "name": "Service", "kind": "service", "roles": [{"role": "all"}]}})
    asked = {"login": "svc", "name": "nightly", "scope": {"acts": ["read"]}}
    given("near", ["settings", "map"], people("all", roles=["steward"]))
    assert as_user("near").error("POST", "settings/tokens", asked) == (403, "not_allowed")
    made = boss.ok("POST", "settings/tokens", asked)
    assert total(Program(made["token"]).call("POST", "my/answers", ASK)[1]) == [1500]
    assert [item["login"] for item in boss.ok("GET", "settings/tokens")["tokens"]] == ["svc"]
    boss.ok("DELETE", f"settings/tokens/{made['entry']['id']}")
    assert Program(made["token"]).call("POST", "my/answers", ASK)[0] == 401


def test_the_workspace_has_another_name_and_time_zone(boss: Session) -> None:
    assert boss.ok("PUT", "settings/workspace", {"name": "Larger place", "time_zone": "Europe/London"})["workspace"] == "Larger place"
    assert boss.error("PUT", "settings/workspace", {"name": "x", "time_zone": "Mars/North"}) == (422, "invalid")


def test_tags_of_the_workspace_mark_what_is_sensitive(boss: Session) -> None:
    def sensitive() -> list[str]:
        found: list[str] = boss.ok("POST", "reach", {})["sensitive"]
        return found

    before = sensitive()
    boss.ok("PUT", "settings/workspace", {"name": "Place", "time_zone": "UTC", "sensitive_tags": ["nothing"]})
    assert sensitive() == before
    boss.ok("PUT", "settings/workspace", {"name": "Place", "time_zone": "UTC", "sensitive_tags": ["money"]})
    assert "m.site.rent" in sensitive()


def test_every_duty_there_is_narrows_to_nothing_for_a_token_that_reads(boss: Session) -> None:
    """What a token may do is written down act by act: a new act is not let through unseen."""
    from moorland.server.access.tokens import TokenScope, UsedToken
    from moorland.server.duties.rights import rights_of

    account = Account.objects.get(login="boss")
    assert set(rights_of(account).acts) == set(ACTS)
    reading = UsedToken(1, "t", TokenScope(acts=["read"])).narrowed(rights_of(account))
    assert set(reading.acts) == {"look-shapes", "look-values", "trail"}


def ruled(boss: Session, *organizations: dict[str, Any], version: int = 1, **rules: Any) -> None:
    boss.ok("PUT", "settings/sign-in", {"rules": {**rules, "organizations": list(organizations)}, "version": version})


def test_rules_of_an_organization_hold_for_all_below_it_and_the_nearest_wins(as_user: Sessions, boss: Session) -> None:
    asked = {
        "expiry_days": 30,
        "second_factor": "required",
        "organizations": [{"organization": "root", "second_factor": "off"}, {"organization": "leaf", "expiry_days": "never", "second_factor": "required"}],
    }
    Account.objects.update(password_set_at=timezone.now() - timedelta(days=40))
    told = boss.ok("POST", "settings/sign-in/try", asked)
    assert told == {"password": ["bob", "boss"], "second_factor": ["ann", "bob"], "no_way": [], "unknown": []}
    ruled(boss, {"organization": "root", "second_factor": "required"}, {"organization": "leaf", "second_factor": "off"})
    assert as_user("ann").ok("GET", "session")["first"] is None
    assert as_user("boss").ok("GET", "session")["first"] == "second_factor"


def test_where_passwords_are_no_way_in_the_right_one_is_told_so_and_a_wrong_one_is_not(as_user: Sessions, boss: Session) -> None:
    assert boss.ok("POST", "settings/sign-in/try", {"organizations": [{"organization": "leaf", "ways": []}]})["no_way"] == ["ann"]
    ruled(boss, {"organization": "leaf", "ways": []})
    nobody = as_user(None)
    assert nobody.error("POST", "session", {"login": "ann", "password": PASSWORD}) == (403, "way_closed")
    assert nobody.error("POST", "session", {"login": "ann", "password": "another one"}) == (401, "signed_out")
    assert nobody.error("GET", "my/pages") == (401, "signed_out")


def test_rules_leave_a_way_in_to_whoever_keeps_the_settings_and_name_organizations_that_are_there(boss: Session) -> None:
    assert boss.error("PUT", "settings/sign-in", {"rules": {"organizations": [{"organization": "root", "ways": []}]}, "version": 1}) == (422, "last_keeper")
    for organizations in ([{"organization": "gone"}], [{"organization": "leaf"}, {"organization": "leaf"}]):
        assert boss.error("PUT", "settings/sign-in", {"rules": {"organizations": organizations}, "version": 1}) == (422, "invalid")
