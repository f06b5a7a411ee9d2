"""Tokens of provisioning clients: each is of one origin, and reaches nothing of another."""

import secrets
from datetime import timedelta

from django.utils import timezone

from moorland.server.access.tokens import PREFIX, hashed
from moorland.server.origins.models import Origin, OriginToken

SEEN_EVERY = timedelta(minutes=1)


def new_token() -> str:
    """A token nobody has yet."""
    return f"{PREFIX}scim_{secrets.token_urlsafe(32)}"


def origin_of(authorization: str) -> Origin | None:
    """The origin a client comes for, by its token; None where it has no good one."""
    scheme, _, token = authorization.partition(" ")
    if scheme.lower() != "bearer" or not token.startswith(f"{PREFIX}scim_"):
        return None
    found = OriginToken.objects.filter(token_hash=hashed(token.strip())).select_related("origin__keeper").first()
    if found is None or not found.origin.enabled:
        return None
    now = timezone.now()
    if found.used_at is None or now - found.used_at > SEEN_EVERY:
        OriginToken.objects.filter(pk=found.pk).update(used_at=now)
    return found.origin
