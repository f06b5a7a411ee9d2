"""Refusals that come in floods: told at the first, then at the tenth, the hundredth, each time with how many there were."""

import threading
import time

from moorland.server.trail.models import record

#: What comes of one kind within so many seconds is one flood.
STRETCH_SECONDS = 900.0
MOST_KEPT = 10_000

_floods: dict[tuple[str, ...], tuple[float, int]] = {}
_lock = threading.Lock()


def record_refusal(actor: str, action: str, subject: str, address: str) -> None:
    """Adds a refusal to the trail, or only counts it where it is one of a flood from the same address about the same account."""
    key, now = (actor, action, subject, address), time.monotonic()
    with _lock:
        began, times = _floods.get(key, (now, 0))
        if now - began > STRETCH_SECONDS:
            began, times = now, 0
        if len(_floods) >= MOST_KEPT:
            _floods.clear()
        times += 1
        _floods[key] = (began, times)
    if times in (1, 10, 100, 1_000, 10_000, 100_000):
        record(actor, action, subject, address=address, **({"times": times} if times > 1 else {}))
