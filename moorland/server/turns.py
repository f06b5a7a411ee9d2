"""Who works out an answer when: few at once, those that have taken least first, so that a heavy question delays no light one."""

import heapq
import itertools
import threading
import time

from django.db import connection

#: So many answers are worked out at once; one place is kept for those that have taken less than LIGHT seconds.
AT_ONCE = 3
LIGHT_SECONDS = 0.25
#: After so long without a pause, who has taken longer lets others go first.
SLICE_SECONDS = 0.05


class Turns:
    """The places at which answers are worked out."""

    def __init__(self, at_once: int = AT_ONCE) -> None:
        self._at_once, self._running, self._heavy = at_once, 0, 0
        self._waiting: list[tuple[float, int]] = []
        self._numbers = itertools.count()
        self._changed = threading.Condition()

    def enter(self, spent: float) -> None:
        """Waits for a place; those that have taken least come first."""
        ticket = (spent, next(self._numbers))
        with self._changed:
            heapq.heappush(self._waiting, ticket)
            while self._waiting[0] != ticket or not self._room(spent):
                self._changed.wait()
            heapq.heappop(self._waiting)
            self._running += 1
            self._heavy += spent >= LIGHT_SECONDS
            self._changed.notify_all()

    def leave(self, spent_before: float) -> None:
        """Gives a place back; `spent_before` is what was said on entering."""
        with self._changed:
            self._running -= 1
            self._heavy -= spent_before >= LIGHT_SECONDS
            self._changed.notify_all()

    def others_first(self, spent: float) -> bool:
        """Whether somebody waits who has taken less."""
        waiting = self._waiting
        return bool(waiting) and waiting[0][0] < spent

    def _room(self, spent: float) -> bool:
        return self._running < self._at_once and (spent < LIGHT_SECONDS or self._heavy < self._at_once - 1)


class Turn:
    """One request's place among them, taken at its first step and given back at its end."""

    def __init__(self, turns: Turns) -> None:
        self._turns = turns
        self._spent, self._since, self._entered = 0.0, 0.0, -1.0

    def step(self) -> None:
        """Between two steps: takes a place, or lets others go first. Never waits inside a transaction, which others may be waiting for."""
        if connection.in_atomic_block:
            return
        now = time.monotonic()
        if self._entered >= 0:
            spent = self._spent + now - self._since
            if now - self._since < SLICE_SECONDS or not self._turns.others_first(spent):
                return
            self.end()
        self._turns.enter(self._spent)
        self._entered, self._since = self._spent, time.monotonic()

    def end(self) -> None:
        """Gives the place back, if one is held."""
        if self._entered >= 0:
            self._spent += time.monotonic() - self._since
            self._turns.leave(self._entered)
            self._entered = -1.0
