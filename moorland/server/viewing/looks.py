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
    """Adds one entry for a look: who looked, as whom, at what, in which state; nobody who was looked as lately is named again."""
    now = time.monotonic()
    with _lock:
        if len(_recent) > 20_000:
            _recent.clear()
        keys = {viewer: (account.login, viewer, subject, state) for viewer in viewers}
        fresh = [viewer for viewer, key in keys.items() if now - _recent.get(key, -STRETCH_SECONDS) >= STRETCH_SECONDS]
        _recent.update({keys[viewer]: now for viewer in fresh})
    if fresh:
        record(account.login, "look", subject, viewers=fresh, state=state)
