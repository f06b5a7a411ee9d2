"""What was read from the database, kept for all threads for as long as nothing in the database has changed, whoever changes it."""

import copy
import os
import sqlite3
import threading
from collections.abc import Callable, Hashable
from pathlib import Path
from typing import Any, TypeVar

from django.db import connection

Read = TypeVar("Read")

MOST_KEPT = 5_000


class Watch:
    """A connection that writes nothing: by it SQLite tells whether anybody committed anything since it was last asked, in this process or another."""

    def __init__(self, path: Path) -> None:
        self.path, self.process = path, os.getpid()
        self._connection = sqlite3.connect(path, timeout=20, isolation_level=None, check_same_thread=False)

    def state(self) -> Hashable:
        """Another one after every commit."""
        return self.process, self._connection.execute("PRAGMA data_version").fetchone()[0]


_lock = threading.Lock()
_watch: Watch | None = None
_state: Hashable = None
_values: dict[Hashable, Any] = {}


def in_transaction() -> bool:
    """Whether what is read now may be taken back, so that nobody else may be told it."""
    return connection.in_atomic_block


def database_state() -> Hashable:
    """What tells a state of the database from all before it."""
    global _watch
    path = Path(connection.settings_dict["NAME"])
    # A connection is not carried over into another process.
    if _watch is None or (_watch.path, _watch.process) != (path, os.getpid()):
        _watch = Watch(path)
    return _watch.state()


def forget() -> None:
    """Keeps nothing of what was read so far."""
    global _state
    with _lock:
        _state = None
        _values.clear()


def unless_changed(key: Hashable, read: Callable[[], Read]) -> Read:
    """What `read` gives, read again only after something was committed to the database.

    Inside a transaction everything is read as it is. What is given is a copy; nobody's changes to it reach another request.
    """
    global _state
    if in_transaction() or connection.vendor != "sqlite":
        return read()
    with _lock:
        state = database_state()
        if state != _state or len(_values) > MOST_KEPT:
            _state = state
            _values.clear()
        if key in _values:
            kept: Read = copy.copy(_values[key])
            return kept
    found = read()
    with _lock:
        # What was committed meanwhile may be in it or not: then it is kept for nobody.
        if state == _state and state == database_state():
            _values[key] = found
            found = copy.copy(found)
    return found
