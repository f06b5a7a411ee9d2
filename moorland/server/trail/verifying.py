"""Whether the trail is whole: every entry's seal, that none is missing, and that none was cut off at the end."""

import logging
import threading
import time
from dataclasses import dataclass

from django.db import connection

from moorland.server.trail.models import Entry, kept_head, sealed

#: The whole trail is looked through again after so many seconds; entries added since, whenever somebody asks.
WHOLE_SECONDS = 600.0

_log = logging.getLogger(__name__)


@dataclass(frozen=True)
class Broken:
    """The first entry that is not as it was written, in a sentence."""

    number: int
    message: str


@dataclass
class _Looked:
    """How far the trail was looked through, and what was found."""

    number: int = 0
    seal: str = ""
    broken: Broken | None = None


_looked = _Looked()
_lock = threading.Lock()


def verified(after: int = 0, seal: str = "") -> tuple[int, str, Broken | None]:
    """Looks through the entries after one: the number and seal of the last that is whole, and what is broken."""
    number = after
    for entry in Entry.objects.filter(number__gt=after).order_by("number").iterator(2_000):
        if entry.number != number + 1:
            return number, seal, Broken(number + 1, f"entry {number + 1} is missing")
        if entry.seal != sealed(seal, entry.number, entry.content()):
            return number, seal, Broken(entry.number, f"entry {entry.number} of {entry.at:%Y-%m-%d %H:%M} is not as it was written")
        number, seal = entry.number, entry.seal
    kept, kept_seal = kept_head()
    if kept > number:
        return number, seal, Broken(number + 1, f"entries {number + 1} to {kept} were cut off")
    if kept and kept_seal != Entry.objects.values_list("seal", flat=True).get(number=kept):
        return number, seal, Broken(kept, f"entry {kept} is another one than was written")
    return number, seal, None


def look_through() -> Broken | None:
    """Looks at the whole trail, as the server does again and again; what is broken, if anything."""
    found = verified()
    with _lock:
        _looked.number, _looked.seal, _looked.broken = found
    return found[2]


def standing() -> Broken | None:
    """What is broken, if anything, by the last look at the whole and a look at what was added since."""
    with _lock:
        if _looked.broken is None:
            _looked.number, _looked.seal, _looked.broken = verified(_looked.number, _looked.seal)
        return _looked.broken


def keep_looking() -> None:
    """Looks through the whole trail now and again, for as long as the server runs."""
    while True:
        try:
            look_through()
        except Exception:
            _log.exception("the trail could not be looked through")
        finally:
            connection.close()
        time.sleep(WHOLE_SECONDS)
