"""What was read from the database, kept in each thread for as long as nothing in the database has changed, whoever changes it."""

import copy
import threading
from collections.abc import Callable, Hashable
from typing import Any, TypeVar

from django.db import connection

Read = TypeVar("Read")

MOST_KEPT = 5_000


class _Kept(threading.local):
    """By thread, because each has its connection: what was read, and the state of the database it was read in."""

    def __init__(self) -> None:
        self.state: tuple[Any, ...] = ()
        self.values: dict[Hashable, Any] = {}


_kept = _Kept()


def in_transaction() -> bool:
    """Whether what is read now may be taken back, so that nobody else may be told it."""
    return connection.in_atomic_block


def forget() -> None:
    """Keeps nothing of what was read so far in this thread."""
    _kept.state, _kept.values = (), {}


def unless_changed(key: Hashable, read: Callable[[], Read]) -> Read:
    """What `read` gives, read again only after the database changed: by SQLite's own count of what others committed, and of what this one wrote.

    Inside a transaction everything is read as it is. What is given is a copy; nobody's changes to it reach another request.
    """
    if in_transaction() or connection.vendor != "sqlite":
        return read()
    connection.ensure_connection()
    raw = connection.connection
    state = (id(raw), raw.execute("PRAGMA data_version").fetchone()[0], raw.total_changes)
    if _kept.state != state or len(_kept.values) > MOST_KEPT:
        _kept.state, _kept.values = state, {}
    if key not in _kept.values:
        _kept.values[key] = read()
    found: Read = copy.copy(_kept.values[key])
    return found
