"""Every look as somebody else goes to the trail, once for a stretch of work rather than once for a keystroke."""

import threading
import time

from moorland.server.directory.models import Account
from moorland.server.trail.models import record

#: Looks of one account at the same thing within so many seconds are one entry.
STRETCH_SECONDS = 600

_recent: dict[tuple[str, str, str, str], float] = {}
_lock = threading.Lock()


def record_look(account: Account, viewers: list[str], subject: str, state: str) -> None:
    """Adds `looked` entries: who looked, as whom, at what, in which state."""
    now = time.monotonic()
    for viewer in viewers:
        key = (account.login, viewer, subject, state)
        with _lock:
            fresh = now - _recent.get(key, -STRETCH_SECONDS) < STRETCH_SECONDS
            if not fresh:
                _recent[key] = now
            if len(_recent) > 20_000:
                _recent.clear()
        if not fresh:
            record(account.login, "look", subject, viewer=viewer, state=state)
