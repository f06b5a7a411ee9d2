"""Tokens: programs that ask as an account. What a token may do is its scope and, at most, what its owner may now (accounts.md 9)."""

import hashlib
import secrets
from dataclasses import dataclass, replace
from datetime import timedelta
from typing import Literal

from django.utils import timezone
from pydantic import Field
from rest_framework.authentication import BaseAuthentication
from rest_framework.exceptions import AuthenticationFailed
from rest_framework.request import Request

from moorland.core.bundle.duties import Within
from moorland.core.bundle.shape import Name, Shape
from moorland.server.access.models import AccessToken
from moorland.server.directory.models import Account
from moorland.server.duties.rights import HeldDuty, Rights
from moorland.server.errors import from_document

#: What stands before every token, so that one that was lost is known for what it is.
PREFIX = "moorland_"
#: The last use is kept to the minute.
SEEN_EVERY = timedelta(minutes=1)
MOST_TOKENS = 50

TokenAct = Literal["read", "people", "stand-in"]


class TokenScope(Shape):
    """What a token may do: `read` asks, `people` changes people, `stand-in` asks as others; in all models or some."""

    acts: list[TokenAct] = Field(min_length=1, max_length=3)
    models: Literal["all"] | list[Name] = "all"


@dataclass(frozen=True)
class UsedToken:
    """The token a request came with."""

    key: int
    name: str
    scope: TokenScope

    def narrowed(self, rights: Rights) -> Rights:
        """The rights of the owner, as far as the token reaches."""
        acts = frozenset({*({"look-shapes", "look-values", "trail"} if "read" in self.scope.acts else ()), *_acts_of(self.scope)})
        held = [_within(item, self.scope) for item in rights.held]
        return Rights(rights.login, tuple(replace(item, duty=item.duty.model_copy(update={"acts": kept})) for item in held if (kept := _kept(item, acts))))

    def reaches_model(self, model: str | None) -> bool:
        """Whether the token reaches a model; what is of no model is for tokens without a bound."""
        return self.scope.models == "all" or model in self.scope.models


def _acts_of(scope: TokenScope) -> set[str]:
    found: set[str] = set()
    if "people" in scope.acts:
        found |= {"people", "map", "links"}
    if "stand-in" in scope.acts:
        found.add("stand-in")
    return found


def _kept(held: HeldDuty, acts: frozenset[str]) -> list[str]:
    return [act for act in held.duty.acts if act in acts]


def _within(held: HeldDuty, scope: TokenScope) -> HeldDuty:
    """A duty in the models of the token only."""
    if scope.models == "all":
        return held
    own = held.duty.scope.models
    models = [name for name in scope.models if own == "all" or (own is not None and name in own)]
    return replace(held, duty=held.duty.model_copy(update={"within": Within.model_validate({**dict(held.duty.scope), "models": models})}))


def hashed(token: str) -> str:
    """What is kept of a token."""
    return hashlib.sha256(token.encode()).hexdigest()


def made(account: Account, name: str, scope: TokenScope, days: int | None) -> tuple[AccessToken, str]:
    """A token, and what is shown this one time."""
    token = PREFIX + secrets.token_urlsafe(32)
    expires = timezone.now() + timedelta(days=days) if days is not None else None
    stored = AccessToken.objects.create(account=account, name=name, token_hash=hashed(token), scope=scope.model_dump(mode="json"), expires_at=expires)
    return stored, token


class TokenSignIn(BaseAuthentication):
    """`Authorization: Bearer`: a token in the place of a session. The words are the same for every token that is none."""

    def authenticate(self, request: Request) -> tuple[Account, UsedToken] | None:
        kind, _, token = request.META.get("HTTP_AUTHORIZATION", "").partition(" ")
        if kind.casefold() != "bearer":
            return None
        found = AccessToken.objects.select_related("account").filter(token_hash=hashed(token.strip())).first()
        now = timezone.now()
        if found is None or (found.expires_at is not None and found.expires_at <= now) or not found.account.good_today():
            raise AuthenticationFailed
        if found.last_used_at is None or now - found.last_used_at > SEEN_EVERY:
            AccessToken.objects.filter(pk=found.pk).update(last_used_at=now)
        return found.account, UsedToken(found.pk, found.name, from_document(TokenScope, found.scope))

    def authenticate_header(self, request: Request) -> str:
        return "Bearer"
