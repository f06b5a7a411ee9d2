"""How many wrong passwords are taken, by account, by address and by both, so that nobody guesses and nobody is shut out by somebody else's guesses."""

import ipaddress
import threading
import time
from typing import Any

from axes.models import AccessAttempt, AccessLog
from django.db.models import Sum
from django.http import HttpRequest
from django.utils import timezone

from moorland.core.bundle.structure import identity
from moorland.server.access.rules import pause, too_many_attempts
from moorland.server.directory.models import Account
from moorland.server.errors import Failure

#: Wrong passwords within the pause from one address, for whichever accounts; from one address for one account axes counts.
MOST_FROM_ADDRESS = 60
#: For one account from everywhere; then only addresses it was signed in from before may still try.
MOST_FOR_ACCOUNT = 40


def asked_identity(request: HttpRequest | None, credentials: dict[str, Any] | None) -> str:
    """The account that is tried, however its login is spelled; axes counts by it."""
    return identity(str((credentials or {}).get("login") or ""))[:255]


def address_of(request: HttpRequest) -> str:
    """Where a request comes from; of an IPv6 address the network, of which anybody has all the rest."""
    try:
        found = ipaddress.ip_address(str(request.META.get("REMOTE_ADDR", "")))
    except ValueError:
        return "0.0.0.0"  # noqa: S104  no address to listen on, but one that stands for none
    return str(ipaddress.ip_network((found, 64), strict=False).network_address) if found.version == 6 else str(found)


def refuse_floods(request: HttpRequest, login: str) -> None:
    """Raises Failure (429) where too many wrong passwords came from this address, or for this account from addresses it does not know."""
    since = timezone.now() - pause()
    address, tried = address_of(request), identity(login)[:255]
    lately = AccessAttempt.objects.filter(attempt_time__gte=since)
    if _failures(lately.filter(ip_address=address)) >= MOST_FROM_ADDRESS:
        raise too_many()
    if _failures(lately.filter(username=tried)) >= MOST_FOR_ACCOUNT:
        account = Account.objects.by_identity(login)
        if account is None or not AccessLog.objects.filter(username=account.login, ip_address=address).exists():
            raise too_many()


def too_many() -> Failure:
    """What anybody is told who has to wait, whatever the account."""
    return Failure(429, "throttled", too_many_attempts())


def _failures(attempts: Any) -> int:
    return attempts.aggregate(times=Sum("failures_since_start"))["times"] or 0


#: Links for forgotten passwords that one address may ask for within the pause.
MOST_FORGOTTEN = 10
_asked: dict[str, list[float]] = {}
_lock = threading.Lock()


def refuse_forgotten(address: str) -> None:
    """Raises Failure (429) where one address asked for too many links; whoever has them sent is not to be flooded."""
    now = time.monotonic()
    with _lock:
        if len(_asked) > 10_000:
            _asked.clear()
        lately = [at for at in _asked.get(address, []) if now - at < pause().total_seconds()]
        _asked[address] = [*lately, now][-MOST_FORGOTTEN - 1 :]
        if len(lately) >= MOST_FORGOTTEN:
            raise too_many()
