"""Signing in by a provider of OpenID Connect: the code flow with PKCE, and what its claims say (accounts.md 21)."""

import secrets
import threading
import time
from dataclasses import dataclass
from typing import Any

import requests
from authlib.common.errors import AuthlibBaseError
from authlib.integrations.requests_client import OAuth2Session
from authlib.oidc.core import CodeIDToken
from joserfc import jwt
from joserfc.errors import JoseError
from joserfc.jwk import KeySet

from moorland.server.directory.people_rows import Cell
from moorland.server.origins.said import Said, SaidPerson
from moorland.server.origins.shapes import OidcText

#: Seconds for one answer of a provider, and for which what it says of itself is kept; clocks differ by so many.
LONGEST, KEPT, LEEWAY = 10, 600, 5
#: Ways in which a token may be signed: by a key of the provider, never by a secret both sides know, never by none.
SIGNED = ["RS256", "RS384", "RS512", "PS256", "PS384", "PS512", "ES256", "ES384", "ES512", "Ed25519", "EdDSA"]
MOST_BYTES = 1_000_000

_kept: dict[str, tuple[float, dict[str, Any]]] = {}
_lock = threading.Lock()


class NotVouched(Exception):
    """Somebody is not let in; the sentence is for the trail and for who keeps the origin."""


@dataclass(frozen=True)
class Begun:
    """A sign-in under way: where to go, and what is kept in the session until it comes back."""

    address: str
    kept: dict[str, Any]


def begin_at(text: OidcText, secret: str, callback: str) -> Begun:
    """Where somebody goes to sign in. Raises NotVouched where the provider does not answer as one."""
    verifier, nonce = secrets.token_urlsafe(48), secrets.token_urlsafe(24)
    with _client(text, secret, callback) as client:
        address, state = client.create_authorization_url(_told_by(text)["authorization_endpoint"], nonce=nonce, code_verifier=verifier)
    return Begun(address, {"state": state, "nonce": nonce, "verifier": verifier, "callback": callback, "at": time.time()})


def claims_at_return(text: OidcText, secret: str, kept: dict[str, Any], sent: dict[str, str]) -> dict[str, Any]:
    """The claims of whoever came back, proved. Raises NotVouched."""
    if not kept or not sent.get("state") or not secrets.compare_digest(str(kept["state"]), sent["state"]):
        raise NotVouched("it was not begun here, or came back twice")
    if time.time() - kept["at"] > KEPT:
        raise NotVouched("it took longer than ten minutes")
    if "error" in sent:
        raise NotVouched(f"the provider says: {sent.get('error_description') or sent['error']}"[:300])
    told = _told_by(text)
    if "iss" in sent and sent["iss"].rstrip("/") != text.issuer:
        raise NotVouched("another provider answered")
    try:
        with _client(text, secret, kept["callback"]) as client:
            token = client.fetch_token(told["token_endpoint"], code=sent.get("code", ""), code_verifier=kept["verifier"], timeout=LONGEST)
            claims = _proved(text, told, str(token.get("id_token", "")), str(kept["nonce"]), str(token.get("access_token", "")))
            return {**_more(client, told, claims), **claims}
    except (AuthlibBaseError, requests.RequestException) as wrong:
        raise NotVouched(f"the provider does not take it: {' '.join(str(wrong).split())}"[:300]) from None


def _proved(text: OidcText, told: dict[str, Any], token: str, nonce: str, access: str) -> dict[str, Any]:
    """The claims of an ID token (OpenID Connect Core, 3.1.3.7). Raises NotVouched."""
    for fresh in (False, True):
        try:
            found = jwt.decode(token, _keys(text, told, fresh), algorithms=SIGNED)
            break
        except (JoseError, ValueError) as wrong:
            # A key that is not known may be a new one: the provider is asked once more.
            if fresh:
                raise NotVouched(f"its token is not signed by it: {wrong}"[:300]) from None
    needed = {"iss": {"essential": True, "value": told["issuer"]}, "sub": {"essential": True}, "aud": {"essential": True, "value": text.client_id}}
    claims = CodeIDToken(found.claims, found.header, needed, {"nonce": nonce, "client_id": text.client_id, "access_token": access})
    try:
        claims.validate(now=int(time.time()), leeway=LEEWAY)
    except (JoseError, AuthlibBaseError) as wrong:
        raise NotVouched(f"its token does not hold: {wrong}"[:300]) from None
    if claims.get("nonce") != nonce:
        raise NotVouched("its token is not for this sign-in")
    return dict(claims)


def _more(client: OAuth2Session, told: dict[str, Any], claims: dict[str, Any]) -> dict[str, Any]:
    """What the provider says of somebody beside the token, where it has an address for that."""
    if "userinfo_endpoint" not in told:
        return {}
    answer = client.get(told["userinfo_endpoint"], timeout=LONGEST)
    found = answer.json() if answer.ok and len(answer.content) <= MOST_BYTES else {}
    return found if isinstance(found, dict) and found.get("sub") == claims["sub"] else {}


def said_of(text: OidcText, claims: dict[str, Any]) -> Said:
    """What claims say of somebody: a claim that is missing says nothing; groups are those that are listed. Raises NotVouched."""
    login = claims.get(text.login)
    verified = claims.get("email_verified") is True
    if text.login == "email" and not verified:
        raise NotVouched("the login is the e-mail, and the provider has not verified it")
    if not isinstance(login, str) or not login.strip():
        raise NotVouched(f"the claim {text.login}, which is the login, is missing")
    fields: dict[str, Cell] = {"login": login.strip()}
    if isinstance(name := claims.get(text.display_name), str):
        fields["name"] = name.strip()
    if verified and isinstance(email := claims.get("email"), str):
        fields["email"] = email.strip()
    if text.organization and text.organization in claims:
        fields["organization"] = next(iter(_texts(claims[text.organization])), text.home or "")
    elif text.home:
        fields["organization"] = text.home
    for attribute, claim in text.attributes.items():
        if claim in claims:
            fields[f"attribute:{attribute}"] = _texts(claims[claim])
    fields.setdefault("name", login.strip())
    key = str(claims["sub"])
    members = {}
    if text.groups and text.groups in claims:
        held = set(_texts(claims[text.groups]))
        members = {item.entry: frozenset({key} if item.entry in held else ()) for item in text.listed}
    return Said([SaidPerson(key, fields, where=key)], members, about=frozenset({key}))


def _texts(value: Any) -> list[str]:
    if isinstance(value, list):
        return [text for item in value for text in _texts(item)]
    if isinstance(value, bool):
        return ["true" if value else "false"]
    return [str(value)] if isinstance(value, str | int | float) else []


def _client(text: OidcText, secret: str, callback: str) -> OAuth2Session:
    way = "client_secret_basic" if secret else "none"
    return OAuth2Session(
        text.client_id,
        secret or None,
        token_endpoint_auth_method=way,
        redirect_uri=callback,
        scope=" ".join(dict.fromkeys(["openid", *text.scopes])),
        code_challenge_method="S256",
    )


def _told_by(text: OidcText) -> dict[str, Any]:
    """What a provider says of itself (OpenID Connect Discovery). Raises NotVouched."""
    told = _fetched(f"{text.issuer}/.well-known/openid-configuration")
    if str(told.get("issuer", "")).rstrip("/") != text.issuer:
        raise NotVouched("the provider says it is another one")
    for name in ("authorization_endpoint", "token_endpoint", "jwks_uri"):
        if not _is_sound(text, told.get(name)):
            raise NotVouched(f"the provider gives no {name} that can be used")
    if not _is_sound(text, told.get("userinfo_endpoint")):
        told = {key: value for key, value in told.items() if key != "userinfo_endpoint"}
    return told


def _is_sound(text: OidcText, address: Any) -> bool:
    """Whether an address is as secret as the issuer's own."""
    return isinstance(address, str) and address.startswith(("https://", text.issuer + "/"))


def _keys(text: OidcText, told: dict[str, Any], fresh: bool) -> KeySet:
    document = _fetched(told["jwks_uri"], fresh)
    known = [key for key in document.get("keys", []) if isinstance(key, dict) and key.get("use", "sig") == "sig" and key.get("kty") != "oct"]
    return KeySet.import_key_set({"keys": known})


def _fetched(address: str, fresh: bool = False) -> dict[str, Any]:
    """A document of a provider, kept for a while. Raises NotVouched."""
    now = time.monotonic()
    with _lock:
        at, document = _kept.get(address, (-KEPT, {}))
    if not fresh and now - at < KEPT:
        return document
    try:
        answer = requests.get(address, timeout=LONGEST, allow_redirects=False)
        found = answer.json() if answer.ok and len(answer.content) <= MOST_BYTES else None
    except (requests.RequestException, ValueError):
        found = None
    if not isinstance(found, dict):
        raise NotVouched("the provider does not answer")
    with _lock:
        _kept[address] = (now, found)
    return found
