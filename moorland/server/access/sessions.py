"""Sessions: begun, seen, and ended (accounts.md 8)."""

import time
from datetime import timedelta

from django.contrib.sessions.models import Session as StoredSession
from django.http import HttpRequest
from django.utils import timezone

from moorland.server.access.models import OpenSession
from moorland.server.access.rules import PersonalRules, SignInRules, factor_is_missing, password_is_over, rules
from moorland.server.directory.models import Account
from moorland.server.directory.session_store import hashed_key
from moorland.server.directory.throttling import address_of
from moorland.server.unchanged import unless_changed

SEEN_EVERY = timedelta(minutes=1)
#: So many seconds pass between two looks at whether a session is still in use.
LOOK_SECONDS = 20.0
MOST_LOOKED = 20_000
_looked: dict[str, float] = {}
#: What a session may do until something is done first: nothing but that.
LIMITED = "limited"


def begin(request: HttpRequest, account: Account, asked: PersonalRules) -> None:
    """Notes a session that was just signed in to, for as long as the rules say; limited where something has to be done first."""
    request.session.set_expiry(asked.session_hours * 3600)
    limit(request, account, asked)
    request.session.save()
    OpenSession.objects.create(
        account=account,
        key_hash=hashed_key(request.session.session_key or ""),
        address=address_of(request),
        agent=request.META.get("HTTP_USER_AGENT", "")[:200],
    )


def limit(request: HttpRequest, account: Account, asked: PersonalRules) -> None:
    """Sets what has to be done before anything else: a new password, then a second factor."""
    # A password kept elsewhere is not over here.
    first = "password" if account.has_usable_password() and password_is_over(account, asked) else "second_factor" if factor_is_missing(account, asked) else None
    if request.session.get(LIMITED) != first:
        request.session[LIMITED] = first


def seen(request: HttpRequest, asked: SignInRules) -> bool:
    """Notes that a session is in use. False where it was idle for longer than the rules allow; it is then ended."""
    found = OpenSession.objects.filter(key_hash=hashed_key(request.session.session_key or "")).first()
    if found is None:
        return True
    now = timezone.now()
    if asked.idle_minutes is not None and now - found.seen_at > timedelta(minutes=asked.idle_minutes):
        end(found)
        return False
    # Seen later than now, the clock was ahead: from now on it is measured by the clock as it is.
    if abs(now - found.seen_at) > SEEN_EVERY:
        OpenSession.objects.filter(pk=found.pk).update(seen_at=now)
    return True


def in_use(request: HttpRequest) -> bool:
    """The same, looked at now and again rather than at every request."""
    key, now = hashed_key(request.session.session_key or ""), time.monotonic()
    if now - _looked.get(key, -LOOK_SECONDS) < LOOK_SECONDS:
        return True
    if len(_looked) > MOST_LOOKED:
        _looked.clear()
    _looked[key] = now
    if seen(request, unless_changed("sign-in rules", rules)):
        return True
    del _looked[key]
    return False


def sessions_of(account: Account) -> list[OpenSession]:
    """The sessions of an account that are still open; what is left of others is forgotten."""
    there = set(StoredSession.objects.filter(expire_date__gt=timezone.now()).values_list("session_key", flat=True))
    OpenSession.objects.filter(account=account).exclude(key_hash__in=there).delete()
    return list(OpenSession.objects.filter(account=account))


def end(session: OpenSession) -> None:
    """Ends a session at once."""
    StoredSession.objects.filter(session_key=session.key_hash).delete()
    session.delete()


def end_all(account: Account, but: str | None = None) -> int:
    """Ends every session of an account but the one of a key; how many."""
    kept = hashed_key(but) if but is not None else None
    ended = [item for item in OpenSession.objects.filter(account=account) if item.key_hash != kept]
    for item in ended:
        end(item)
    return len(ended)
