"""Outside viewers: what another application may vouch for, and nothing beyond it (channels.md 15)."""

import base64
import datetime
import hashlib
import hmac
import json
import re
import time
from collections.abc import Callable
from typing import Any

import jwt
import pytest
from cryptography.hazmat.primitives import serialization
from cryptography.hazmat.primitives.asymmetric import ec
from django.http import HttpResponse
from django.test import Client

from moorland.server.trail.models import Entry
from tests.server.conftest import Session

Sessions = Callable[[str | None], Session]
PRIVATE, OTHER = ec.generate_private_key(ec.SECP256R1()), ec.generate_private_key(ec.SECP256R1())
PUBLIC = PRIVATE.public_key().public_bytes(serialization.Encoding.PEM, serialization.PublicFormat.SubjectPublicKeyInfo).decode()
ISSUER: dict[str, Any] = {
    "name": "portal",
    "audience": "here",
    "signing": "ES256",
    "public_key": PUBLIC,
    "origins": ["https://portal.example"],
    "pages": ["output"],
    "groups": ["stewards"],
    "attributes": [{"attribute": "areas", "values": ["fell", "marsh"]}],
    "organization": "leaf",
    "longest_seconds": 120,
}
_numbers = iter(range(10_000))


def kept(boss: Session, secret: str | None = None, version: int | None = None, **changes: Any) -> dict[str, Any]:
    """The issuer, kept with changes."""
    return boss.ok("PUT", "settings/issuers", {"text": {**ISSUER, **changes}, "secret": secret, "version": version})


def said(**changes: Any) -> dict[str, Any]:
    """What a token says; a claim changed to None is left out."""
    now = int(time.time())
    claims = {
        "iss": "portal",
        "aud": "here",
        "sub": "zoe",
        "iat": now,
        "exp": now + 60,
        "jti": f"number {next(_numbers)}",
        "groups": ["stewards"],
        "moorland": {"areas": ["fell"]},
    }
    return {name: value for name, value in {**claims, **changes}.items() if value is not None}


def token(key: Any = PRIVATE, algorithm: str = "ES256", headers: dict[str, Any] | None = None, **changes: Any) -> str:
    return jwt.encode(said(**changes), key, algorithm=algorithm, headers=headers)


def posted(written: str, page: str = "output") -> HttpResponse:
    """The frame a token is posted to, by a browser that has no session."""
    return Client(enforce_csrf_checks=True).post(f"/embed/{page}", {"token": written})


def ticket_of(response: HttpResponse) -> str | None:
    found = re.search(r'name="moorland-ticket" content="([^"]+)"', response.content.decode())
    return found[1] if found else None


def framed(ticket: str, what: str = "output", body: dict[str, Any] | None = None, client: Client | None = None) -> tuple[int, Any]:
    response = (client or Client()).post(f"/api/outside/pages/{what}", json.dumps(body or {}), content_type="application/json", HTTP_MOORLAND_TICKET=ticket)
    return response.status_code, json.loads(response.content)


def test_somebody_vouched_for_sees_what_the_same_person_with_an_account_sees(boss: Session, as_user: Sessions) -> None:
    kept(boss)
    response = posted(token())
    status, page = framed(ticket_of(response) or "")
    own = as_user("ann").ok("GET", "my/pages/output")
    assert (response.status_code, status, page) == (200, 200, own)
    assert "frame-ancestors https://portal.example" in response["Content-Security-Policy"] and "X-Frame-Options" not in response
    assert not response.cookies and response["Cache-Control"] == "no-store"
    assert [(entry.actor, entry.details["issuer"]) for entry in Entry.objects.filter(action="come in")] == [("portal:zoe", "portal")]


@pytest.mark.parametrize(
    ("changes", "reason"),
    [
        ({"aud": "elsewhere"}, "for another audience"),
        ({"exp": 1_000_000_000}, "it is over"),
        ({"nbf": int(time.time()) + 3_000, "iat": None}, "not good yet"),
        ({"exp": None}, "lacks exp"),
        ({"jti": None}, "lacks jti"),
        ({"sub": None}, "lacks sub"),
        ({"exp": int(time.time()) + 4_000}, "good for longer"),
        ({"groups": ["others"]}, "may not speak of the group others"),
        ({"groups": "stewards"}, "not of the shape"),
        ({"moorland": {"code": 7}}, "may not speak of the attribute code"),
        ({"moorland": {"areas": ["fen"]}}, "may not say this"),
        ({"moorland": {"areas": [["fell"]]}}, "not of the shape"),
        ({"roles": ["all"]}, "claim roles is not known"),
        ({"email": "boss@here.example"}, "claim email is not known"),
        ({"iss": "nobody"}, "not known here"),
        ({"sub": " zoe"}, "not of the shape"),
        ({"key": OTHER}, "not of its issuer"),
        ({"key": PUBLIC.encode(), "algorithm": "HS256"}, ""),
        ({"key": "", "algorithm": "none"}, "in a way its issuer does not sign"),
    ],
)
def test_a_token_that_says_or_is_anything_else_is_refused_whole_and_in_the_trail(boss: Session, changes: dict[str, Any], reason: str) -> None:
    kept(boss)
    try:
        written = token(**changes)
    except (jwt.PyJWTError, ValueError):
        # The library will not even write this one: a public key as a shared secret.
        head, body = ({"alg": "HS256", "typ": "JWT"}, said())
        plain = ".".join(base64.urlsafe_b64encode(json.dumps(part).encode()).rstrip(b"=").decode() for part in (head, body))
        proof = base64.urlsafe_b64encode(hmac.new(PUBLIC.encode(), plain.encode(), hashlib.sha256).digest()).rstrip(b"=").decode()
        written = f"{plain}.{proof}"
    response = posted(written)
    assert (response.status_code, ticket_of(response)) == (403, None)
    assert reason not in response.content.decode() or not reason
    entry = Entry.objects.filter(action="outside viewer refused").first()
    assert entry is not None and reason in entry.subject


def test_a_token_is_taken_once(boss: Session) -> None:
    kept(boss)
    written = token()
    assert [posted(written).status_code for _ in range(3)] == [200, 403, 403]


@pytest.mark.parametrize("written", ["", "x", "a.b.c", "x" * 20_000, "eyJhbGciOiJFUzI1NiJ9.e30.AAAA"])
def test_what_is_no_token_is_refused(boss: Session, written: str) -> None:
    kept(boss)
    assert posted(written).status_code == 403


def test_a_ticket_is_for_its_page_and_ends_with_its_issuer(boss: Session) -> None:
    first = kept(boss, pages=["output", "secret"])
    ticket = ticket_of(posted(token())) or ""
    assert framed(ticket, "secret")[0] == 404
    assert framed(ticket, "nothing")[0] == 404
    assert framed(ticket[:-2] + "xx")[0] == 401
    assert framed("")[0] == 401
    kept(boss, version=first["version"], groups=[])
    assert framed(ticket)[0] == 401
    assert posted(token(), "secret").status_code == 403


def test_a_ticket_ends_when_its_token_would(boss: Session, monkeypatch: pytest.MonkeyPatch) -> None:
    kept(boss)
    ticket = ticket_of(posted(token())) or ""
    later = datetime.datetime.now(datetime.UTC) + datetime.timedelta(seconds=61)
    monkeypatch.setattr("moorland.server.outside.tickets.timezone.now", lambda: later)
    assert framed(ticket)[0] == 401


def test_a_ticket_opens_nothing_else_and_a_session_opens_no_frame(boss: Session, as_user: Sessions) -> None:
    kept(boss)
    ticket = ticket_of(posted(token())) or ""
    for path in ("my/pages", "my/account", "people", "roles", "settings/issuers"):
        assert Client().get(f"/api/{path}", HTTP_MOORLAND_TICKET=ticket).status_code in (401, 403)
    assert framed("", client=as_user("boss").client)[0] == 401
    # A session beside a ticket changes nothing of what the ticket shows.
    assert framed(ticket, client=as_user("boss").client) == framed(ticket)


def test_rows_beneath_and_files_are_given_within_the_rules(boss: Session, as_user: Sessions) -> None:
    kept(boss)
    ticket, ann = ticket_of(posted(token())) or "", as_user("ann")
    asked = {"exhibit": 0, "key": [], "filters": [], "limit": 10, "offset": 0, "beneath": True}
    assert framed(ticket, "output/beneath", asked) == ann.call("POST", "my/pages/output/beneath", asked)
    exported = {"exhibit": 0, "key": [], "filters": [], "format": "csv", "beneath": False, "limit": 10}
    assert framed(ticket, "output/export", exported)[0] == ann.call("POST", "my/pages/output/export", exported)[0]


def test_keys_of_a_set_are_chosen_by_their_kid(boss: Session) -> None:
    key = json.loads(jwt.algorithms.ECAlgorithm.to_jwk(PRIVATE.public_key()))
    kept(boss, public_key=None, keys={"keys": [{**key, "kid": "one"}]})
    assert [posted(token(headers={"kid": kid} if kid else {})).status_code for kid in ("one", "two", None)] == [200, 403, 403]


def test_a_shared_secret_is_kept_sealed_and_never_told(boss: Session) -> None:
    secret = "a secret of at least thirty-two signs"
    kept(boss, secret, signing="HS256", public_key=None)
    assert posted(token(secret, "HS256")).status_code == 200
    assert secret not in json.dumps(boss.ok("GET", "settings/issuers"))
    assert posted(token("another secret of thirty-two signs", "HS256")).status_code == 403


@pytest.mark.parametrize(
    ("changes", "path"),
    [
        ({"pages": ["nothing"]}, "pages"),
        ({"groups": ["nobody"]}, "groups"),
        ({"attributes": [{"attribute": "nothing"}]}, "attributes"),
        ({"organization": "nowhere"}, "organization"),
        ({"public_key": None}, "keys"),
        ({"public_key": "no key"}, "public_key"),
        ({"public_key": None, "keys": {"keys": [{"kty": "oct", "k": "AAAA", "kid": "x"}]}}, "keys"),
        ({"origins": ["javascript:alert(1)"]}, "text.origins"),
        ({"origins": ["https://a.example https://evil.example"]}, "text.origins"),
        ({"longest_seconds": 601}, "text.longest_seconds"),
        ({"signing": "none"}, "text.signing"),
        ({"name": "Por tal"}, "text.name"),
        ({"signing": "HS256"}, "signing"),
    ],
)
def test_an_issuer_that_cannot_be_kept_is_refused_in_a_sentence(boss: Session, changes: dict[str, Any], path: str) -> None:
    status, told = boss.call("PUT", "settings/issuers", {"text": {**ISSUER, **changes}, "secret": None, "version": None})
    assert status in (400, 422) and any(problem["path"].startswith(path) for problem in told["error"]["problems"]), told


def test_a_page_is_tried_for_somebody_imagined_beside_all_data_and_the_token_is_good_nowhere(boss: Session, as_user: Sessions) -> None:
    kept(boss)
    told = boss.ok("POST", "settings/issuers/portal/try", {"page": "output", "sub": "zoe", "groups": ["stewards"], "attributes": {"areas": ["fell"]}})
    assert (told["refused"], told["roles"], told["seen"]) == (None, ["Steward"], as_user("ann").ok("GET", "my/pages/output"))
    assert told["whole"]["exhibits"][0]["totals"]["total"] == [1500.0]
    assert posted(told["token"]).status_code == 403
    refused = boss.ok("POST", "settings/issuers/portal/try", {"page": "output", "sub": "zoe", "groups": ["others"]})
    assert refused["refused"] == "its issuer may not speak of the group others" and refused["seen"] is None


def test_an_issuer_is_changed_by_one_at_a_time_and_forgotten_at_once(boss: Session) -> None:
    first = kept(boss)
    assert boss.error("PUT", "settings/issuers", {"text": ISSUER, "version": None})[0] == 422
    second = kept(boss, version=first["version"], label="Portal")
    assert boss.error("PUT", "settings/issuers", {"text": ISSUER, "version": first["version"]}) == (409, "stale")
    ticket = ticket_of(posted(token())) or ""
    boss.ok("DELETE", f"settings/issuers/portal?version={second['version']}")
    assert (framed(ticket)[0], posted(token()).status_code) == (401, 403)
