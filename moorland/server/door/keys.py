"""Door keys made, found by the name a client comes with, and ended (channels.md 13.1)."""

import secrets
from datetime import timedelta

from django.conf import settings
from django.utils import timezone

from moorland.server.access.rules import rules_of
from moorland.server.directory.models import Account
from moorland.server.door.models import DoorKey
from moorland.wire.scram import Verifier, made_up, verifier_of

#: What stands before every key, so that one that was lost is known for what it is.
PREFIX = "door_"
MOST_KEYS = 20
#: The last use is kept to the minute.
SEEN_EVERY = timedelta(minutes=1)


def made_key(account: Account, name: str, days: int | None) -> tuple[DoorKey, str]:
    """A key, and what is shown this one time."""
    key = PREFIX + secrets.token_urlsafe(24)
    proof = verifier_of(key)
    expires = timezone.now() + timedelta(days=days) if days is not None else None
    kept = {"salt": proof.salt, "stored": proof.stored, "server": proof.server, "rounds": proof.rounds}
    return DoorKey.objects.create(account=account, name=name, expires_at=expires, **kept), key


def key_named(user: str) -> DoorKey | None:
    """The key a client comes with: `login/key`, or a login alone for its oldest key. None where it opens nothing."""
    login, _, name = user.rpartition("/")
    keys = DoorKey.objects.select_related("account").exclude(expires_at__lte=timezone.now())
    found = keys.filter(account__login=user).first()
    if found is None and login:
        found = keys.filter(account__login=login, name=name).first()
    return found if found is not None and opens(found) else None


def opens(key: DoorKey) -> bool:
    """Whether a key opens the door now: it is not over, its account is good today, and the door is allowed to it."""
    over = key.expires_at is not None and key.expires_at <= timezone.now()
    return not over and key.account.good_today() and rules_of(key.account).door


def verifier_for(user: str) -> Verifier:
    """What a key of a user is proved by; of nobody, what nothing proves, with a salt that stays the same."""
    found = key_named(user)
    if found is None:
        return made_up(user, str(settings.SECRET_KEY).encode())
    return Verifier(bytes(found.salt), bytes(found.stored), bytes(found.server), found.rounds)


def note_use(key: DoorKey) -> None:
    """Keeps when a key was last used."""
    now = timezone.now()
    if key.last_used_at is None or now - key.last_used_at > SEEN_EVERY:
        DoorKey.objects.filter(pk=key.pk).update(last_used_at=now)


def opening(keys: set[int]) -> set[int]:
    """Of some keys, those that still open the door."""
    return {key.pk for key in DoorKey.objects.filter(pk__in=keys).select_related("account") if opens(key)}
