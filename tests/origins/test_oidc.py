"""Signing in by a provider that runs (accounts.md 21): who comes in, with what, and every way in which somebody does not."""

import time
from collections.abc import Callable, Iterator
from typing import Any
from urllib.parse import parse_qs, urlencode, urlsplit

import pytest
from django.contrib.sessions.models import Session as StoredSession
from django.test import Client

from moorland.server.directory.models import Account, Group
from moorland.server.directory.session_store import SessionStore
from moorland.server.origins import oidc
from moorland.server.origins.models import Origin, OriginRun
from tests.origins.provider import SECRET, Provider
from tests.server.conftest import Session


@pytest.fixture(scope="module")
def provider(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Provider]:
    running = Provider(tmp_path_factory.mktemp("provider"))
    running.start()
    yield running
    running.stop()


@pytest.fixture
def company(boss: Session, provider: Provider) -> Callable[..., None]:
    """Keeps the provider as a way to sign in."""
    oidc._kept.clear()
    provider.says(ida={})

    def keep(**changes: Any) -> None:
        origin = {"kind": "oidc", "name": "company", "label": "Company", "issuer": provider.issuer, "client_id": "moorland", "groups": "groups"}
        bounds = {"gain": 100, "lose": 100, "gone_percent": 100}
        stored = next(iter(boss.ok("GET", "settings/origins")["origins"]), None)
        body = {"origin": {**origin, "bounds": bounds, **changes}, "secret": SECRET, "version": stored["version"] if stored else None}
        boss.ok("PUT", "settings/origins", body)

    keep()
    return keep


class Person:
    """Somebody with a browser."""

    def __init__(self, provider: Provider) -> None:
        self.provider, self.client = provider, Client()

    def begins(self) -> str:
        answer = self.client.get("/api/session/by/company")
        assert answer.status_code == 302
        return answer.headers["Location"]

    def comes_back(self, address: str, **changed: str) -> str | None:
        """Who is signed in afterwards."""
        parts = urlsplit(address)
        sent = {**{name: values[0] for name, values in parse_qs(parts.query).items()}, **changed}
        self.client.get(f"{parts.path}?{urlencode(sent)}")
        return self.told()["account"] and self.session["account"]["login"]

    def told(self) -> Any:
        self.session = self.client.get("/api/session").json()
        return self.session

    def signs_in(self, login: str = "ida", **changed: str) -> str | None:
        return self.comes_back(self.provider.signs_in(self.begins(), login), **changed)


def test_somebody_new_comes_in_with_what_is_said_of_them(boss: Session, provider: Provider, company: Callable[..., None]) -> None:
    company(attributes={"areas": "areas"}, home="leaf", listed=[{"entry": "land", "name": "land", "group": "stewards"}])
    provider.says(ida={"groups": ["land", "admins"], "areas": ["fell"]})
    person = Person(provider)
    assert person.told()["providers"] == [{"name": "company", "label": "Company"}]
    assert person.signs_in() == "ida"
    ida = Account.objects.get(login="ida")
    assert (ida.name, ida.email, ida.organization.name, ida.attributes) == ("Ida", "ida@example.org", "leaf", {"areas": ["fell"]})
    assert list(ida.in_groups.values_list("name", flat=True)) == ["stewards"]
    assert not Group.objects.filter(name="admins").exists()
    # What was given here stays; what the provider gave goes when it gives it no more; a claim that is missing changes nothing.
    boss.ok("POST", "acts", {"change_people": {"logins": ["ida"], "join": ["others"]}})
    provider.says(ida={})
    assert Person(provider).signs_in() == "ida"
    assert sorted(ida.in_groups.values_list("name", flat=True)) == ["others", "stewards"]
    provider.says(ida={"groups": []})
    Person(provider).signs_in()
    assert list(ida.in_groups.values_list("name", flat=True)) == ["others"]
    assert Account.objects.get(login="ida").attributes == {"areas": ["fell"]}


@pytest.mark.parametrize("what", ["state", "code", "iss"])
def test_what_was_tampered_with_lets_nobody_in(provider: Provider, company: Callable[..., None], what: str) -> None:
    person = Person(provider)
    assert person.signs_in(**{what: "http://127.0.0.1:1/other"}) is None
    assert person.session["refused"].startswith("You were not signed in: ")
    assert person.told()["refused"] is None


def test_an_answer_is_taken_once_and_by_who_began(provider: Provider, company: Callable[..., None]) -> None:
    person, other = Person(provider), Person(provider)
    back = provider.signs_in(person.begins(), "ida")
    assert other.comes_back(back) is None
    assert person.comes_back(back) == "ida"
    person.client.delete("/api/session")
    assert person.comes_back(back) is None


def with_kept(person: Person, **changes: Any) -> None:
    """What the session of somebody holds of a sign-in under way, changed."""
    store = SessionStore(person.client.cookies["moorland_session"].value)
    store["signing in"] = {"company": {**store["signing in"]["company"], **changes}}
    store.save()


def test_a_token_for_another_sign_in_or_another_time_is_not_taken(provider: Provider, company: Callable[..., None], monkeypatch: pytest.MonkeyPatch) -> None:
    for changes in ({"nonce": "another"}, {"verifier": "x" * 64}, {"at": time.time() - 700}):
        person = Person(provider)
        back = provider.signs_in(person.begins(), "ida")
        with_kept(person, **changes)
        assert person.comes_back(back) is None
    person = Person(provider)
    back = provider.signs_in(person.begins(), "ida")
    now = time.time()
    monkeypatch.setattr(oidc, "KEPT", 10**9)
    monkeypatch.setattr(oidc.time, "time", lambda: now + 100_000)
    assert person.comes_back(back) is None
    assert "does not hold" in OriginRun.objects.first().message  # type: ignore[union-attr]


def test_a_token_for_another_client_is_not_taken(provider: Provider, company: Callable[..., None], monkeypatch: pytest.MonkeyPatch) -> None:
    person = Person(provider)
    back = provider.signs_in(person.begins(), "ida")
    proved = oidc._proved
    monkeypatch.setattr(oidc, "_proved", lambda text, *more: proved(text.model_copy(update={"client_id": "another"}), *more))
    assert person.comes_back(back) is None


def test_new_keys_are_asked_for_and_another_signature_is_not_taken(provider: Provider, company: Callable[..., None], monkeypatch: pytest.MonkeyPatch) -> None:
    assert Person(provider).signs_in() == "ida"
    provider.restart()
    assert Person(provider).signs_in() == "ida"
    monkeypatch.setattr(oidc, "SIGNED", ["ES256"])
    assert Person(provider).signs_in() is None


def test_a_mail_that_is_not_verified_is_not_taken(provider: Provider, company: Callable[..., None]) -> None:
    provider.says(ida={"email_verified": False})
    assert Person(provider).signs_in() == "ida"
    assert Account.objects.get(login="ida").email is None
    company(login="email")
    assert Person(provider).signs_in() is None


def test_an_account_here_is_joined_by_a_keeper_only(boss: Session, provider: Provider, company: Callable[..., None]) -> None:
    company(creates=False)
    provider.says(ann={}, boss={})
    assert Person(provider).signs_in("ann") is None
    row = OriginRun.objects.first().report[0]  # type: ignore[union-attr]
    assert (row["taken"], row["key"]) == ("ann", "ann")
    company(creates=True)
    assert Person(provider).signs_in("ann") is None
    boss.ok("POST", "settings/origins/of/company/joins", {"entry": "ann", "login": "ann"})
    assert Person(provider).signs_in("ann") == "ann"
    assert boss.error("POST", "people/ann/invitation") == (422, "comes_from_elsewhere")


def test_who_is_disabled_or_held_does_not_come_in(boss: Session, provider: Provider, company: Callable[..., None]) -> None:
    assert Person(provider).signs_in() == "ida"
    boss.ok("POST", "acts", {"change_people": {"logins": ["ida"], "enabled": False}})
    assert Person(provider).signs_in() is None
    assert StoredSession.objects.exists()
    company(listed=[{"entry": "land", "name": "land", "group": "stewards"}], bounds={"gain": 0, "lose": 0, "gone_percent": 0})
    provider.says(jon={"groups": ["land"]})
    assert Person(provider).signs_in("jon") is None
    assert not Account.objects.filter(login="jon").exists()


def test_a_provider_that_is_away_says_so(provider: Provider, company: Callable[..., None]) -> None:
    company(issuer="http://127.0.0.1:9")
    person = Person(provider)
    assert person.client.get("/api/session/by/company").headers["Location"] == "/"
    assert "cannot be reached now" in person.told()["refused"]
    assert Origin.objects.get().trouble
