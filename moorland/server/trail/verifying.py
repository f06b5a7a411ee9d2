"""Whether the trail is whole: every entry's seal, that none is missing, and that none was cut off at the end."""

import json
import logging
import threading
import time
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from django.db import connection

from moorland.server.trail.keeping import remove_old
from moorland.server.trail.models import Entry, Summary, kept_head, removed_up_to, sealed

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
    if after < (start := removed_up_to())[0]:
        broken = _summary_broken()
        if broken is not None:
            return after, seal, broken
        number, seal = start
    for entry in Entry.objects.filter(number__gt=number).order_by("number").iterator(2_000):
        broken = _entry_broken(number, seal, entry.number, entry.seal, entry.content(), f"{entry.at:%Y-%m-%d %H:%M}")
        if broken is not None:
            return number, seal, broken
        number, seal = entry.number, entry.seal
    kept, kept_seal = kept_head()
    if kept > number:
        return number, seal, Broken(number + 1, f"entries {number + 1} to {kept} were cut off")
    if kept and kept > start[0] and kept_seal != Entry.objects.values_list("seal", flat=True).get(number=kept):
        return number, seal, Broken(kept, f"entry {kept} is another one than was written")
    return number, seal, None


def held_against(number: int, seal: str) -> Broken | None:
    """Whether the trail still has the entry of a seal that was kept elsewhere, and so all before it."""
    removed, last = removed_up_to()
    if number < removed:
        return None
    found = last if number == removed else Entry.objects.filter(number=number).values_list("seal", flat=True).first()
    if found is None:
        return Broken(number, f"entry {number}, whose seal was kept, is not there: the end was cut off")
    return None if found == seal else Broken(number, f"entry {number} is another one than the seal was kept of")


def verified_lines(lines: Iterable[str]) -> tuple[int, str, Broken | None]:
    """The same of entries in a file of JSON lines, as they are exported; the first may be any."""
    number, seal, started = 0, "", False
    for place, line in enumerate(lines):
        if not line.strip():
            continue
        try:
            item = json.loads(line)
            own, written = int(item["number"]), str(item["seal"])
            content = {key: item[key] for key in ("at", "actor", "action", "subject", "details")}
            before = str(item["before"])
        except (ValueError, KeyError, TypeError):
            return number, seal, Broken(number + 1, f"line {place + 1} is no entry")
        if not started:
            number, seal, started = own - 1, before, True
        broken = _entry_broken(number, seal, own, written, content, str(content["at"]))
        if broken is not None:
            return number, seal, broken
        number, seal = own, written
    return number, seal, None


def _entry_broken(before: int, seal: str, number: int, written: str, content: dict[str, Any], at: str) -> Broken | None:
    if number != before + 1:
        return Broken(before + 1, f"entry {before + 1} is missing" if number > before else f"entry {number} was put in")
    if written != sealed(seal, number, content):
        return Broken(number, f"entry {number} of {at} is not as it was written")
    return None


def _summary_broken() -> Broken | None:
    """Whether a summary of removed entries is not as it was written."""
    for item in Summary.objects.order_by("number"):
        if item.seal != sealed("summary", item.number, item.content()):
            return Broken(item.number, f"the summary of the entries up to {item.number} is not as it was written")
    return None


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
            remove_old()
            look_through()
        except Exception:
            _log.exception("the trail could not be looked through")
        finally:
            connection.close()
        time.sleep(WHOLE_SECONDS)
