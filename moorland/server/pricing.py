"""Every request has a price: how long it may take, how much it may answer, how many of one account run at once (core.price)."""

import threading
import time
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from django.http import HttpRequest, HttpResponse, JsonResponse

from moorland.core.price import Price, TooCostly, Unwanted, within
from moorland.server.directory.models import Account
from moorland.server.duties.rights import rights_of
from moorland.server.turns import Turn, Turns

#: An answer has at most so many lines, a request so many values, and so many seconds.
MOST_LINES, MOST_VALUES = 20_000, 1_000_000
#: So many signs of texts are put together for a request.
MOST_TEXT = 100_000_000
SECONDS = 20.0
#: What keepers of the workspace ask over everybody at once takes longer.
ADMINISTRATOR_SECONDS = 120.0
#: So many requests of one account, or of nobody from one address, are answered at once.
MOST_AT_ONCE = 10

#: The addresses that work something out.
PRICED = ("/api/", "/access/", "/embed/")

_turns = Turns()
_running: Counter[str] = Counter()
_changed = threading.Condition()


class TooMany(Exception):
    """Too many questions of one asker are being answered."""


@contextmanager
def priced(asker: str, seconds: float, lines: int, values: int, gone: Callable[[], bool] | None, wait: float = 0.0, text: int = MOST_TEXT) -> Iterator[None]:
    """All that is worked out inside has this price, and takes turns with all else.

    Of one asker few things are worked out at once: one more waits so many seconds for a place. Raises TooMany.
    """
    until = time.monotonic() + wait
    with _changed:
        while _running[asker] >= MOST_AT_ONCE:
            if gone is not None and gone():
                raise Unwanted
            if time.monotonic() >= until:
                raise TooMany
            _changed.wait(min(0.2, max(until - time.monotonic(), 0.01)))
        _running[asker] += 1
    turn = Turn(_turns)
    try:
        with turn.taken(), within(Price(seconds, lines, values, text, unwanted=gone, turn=turn.step)):
            yield
    finally:
        with _changed:
            _running[asker] -= 1
            if not _running[asker]:
                del _running[asker]
            _changed.notify_all()


def account_asker(key: int) -> str:
    """An account as an asker, by whatever way it asks."""
    return f"account {key}"


class PriceMiddleware:
    """Sets the price of whatever is worked out for a request, closed by default: there is no address without one."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if not request.path.startswith(PRICED):
            return self.get_response(request)
        seconds = ADMINISTRATOR_SECONDS if _has_duty(request) else SECONDS
        try:
            with priced(_asker(request), seconds, MOST_LINES, MOST_VALUES, request.META.get("waitress.client_disconnected")):
                return self.get_response(request)
        except TooMany:
            return _too_many()
        except TooCostly as costly:
            return JsonResponse({"error": {"code": "too_costly", "message": costly.message, "problems": []}}, status=422)
        except Unwanted:
            return HttpResponse(status=499)


def _has_duty(request: HttpRequest) -> bool:
    """Whether whoever asks does so for others too: such questions may take longer."""
    return isinstance(request.user, Account) and bool(rights_of(request.user).held)


def _asker(request: HttpRequest) -> str:
    """The account that asks, or the address of nobody."""
    return account_asker(request.user.pk) if request.user.is_authenticated else f"address {request.META.get('REMOTE_ADDR', '')}"


def _too_many() -> HttpResponse:
    message = "Too many of your requests are being answered at once. Wait for one of them."
    response = JsonResponse({"error": {"code": "busy", "message": message, "problems": []}}, status=429)
    response["Retry-After"] = "1"
    return response
