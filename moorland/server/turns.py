"""Who works out an answer when: few at once, and who has taken little before who has taken much, so that a heavy question delays no light one."""

import itertools
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field

from django.db import connection

#: So many answers are worked out at once; one place is kept for those that have taken less than LIGHT seconds.
AT_ONCE = 3
LIGHT_SECONDS = 0.25
#: After so long without a pause, who has taken longer lets others go first.
SLICE_SECONDS = 0.05
#: Who has taken a second lets those go first that came up to so many seconds later; nobody waits for those that come after that.
LAG = 4.0


@dataclass(order=True)
class _Ticket:
    """Somebody who waits: when it is due against the others, and whether it has taken long already."""

    due: float
    number: int
    heavy: bool = field(compare=False)


class Turns:
    """The places at which answers are worked out."""

    def __init__(self, at_once: int = AT_ONCE) -> None:
        self._at_once, self._running, self._heavy = at_once, 0, 0
        self._waiting: list[_Ticket] = []
        self._numbers = itertools.count()
        self._changed = threading.Condition()

    def enter(self, arrived: float, spent: float) -> None:
        """Waits for a place. Of those for whom there is one, who is due first gets it: when it arrived, and LAG seconds for each it has taken."""
        ticket = _Ticket(_due(arrived, spent), next(self._numbers), spent >= LIGHT_SECONDS)
        with self._changed:
            self._waiting.append(ticket)
            while self._next(self._running, self._heavy) is not ticket:
                self._changed.wait()
            self._waiting.remove(ticket)
            self._running += 1
            self._heavy += ticket.heavy
            self._changed.notify_all()

    def leave(self, spent_before: float) -> None:
        """Gives a place back; `spent_before` is what was said on entering."""
        with self._changed:
            self._running -= 1
            self._heavy -= spent_before >= LIGHT_SECONDS
            self._changed.notify_all()

    def others_first(self, arrived: float, spent_before: float, spent: float) -> bool:
        """Whether somebody is due before one that has a place, and would get it."""
        if not self._waiting:
            return False
        with self._changed:
            first = self._next(self._running - 1, self._heavy - (spent_before >= LIGHT_SECONDS))
        return first is not None and first.due < _due(arrived, spent)

    def _next(self, running: int, heavy: int) -> _Ticket | None:
        if running >= self._at_once:
            return None
        return min((ticket for ticket in self._waiting if not ticket.heavy or heavy < self._at_once - 1), default=None)


def _due(arrived: float, spent: float) -> float:
    return arrived + LAG * spent


class Turn:
    """One request's place among them, taken at its first step and given back at its end."""

    def __init__(self, turns: Turns) -> None:
        self._turns = turns
        self._arrived = time.monotonic()
        self._spent, self._since, self._entered = 0.0, 0.0, -1.0
        self._aside = False

    def step(self) -> None:
        """Between two steps: takes a place, or lets others go first. Never waits inside a transaction, which others may be waiting for."""
        if self._aside or connection.in_atomic_block:
            return
        now = time.monotonic()
        if self._entered >= 0:
            spent = self._spent + now - self._since
            if now - self._since < SLICE_SECONDS or not self._turns.others_first(self._arrived, self._entered, spent):
                return
            self.end()
        self._turns.enter(self._arrived, self._spent)
        self._entered, self._since = self._spent, time.monotonic()

    def end(self) -> None:
        """Gives the place back, if one is held."""
        if self._entered >= 0:
            self._spent += time.monotonic() - self._since
            self._turns.leave(self._entered)
            self._entered = -1.0

    @contextmanager
    def taken(self) -> Iterator[None]:
        """All that is done inside is done in this turn."""
        token = _mine.set(self)
        try:
            yield
        finally:
            _mine.reset(token)
            self.end()

    @contextmanager
    def aside(self) -> Iterator[None]:
        """Inside, no place is held and none is waited for."""
        before, self._aside = self._aside, True
        self.end()
        try:
            yield
        finally:
            self._aside = before


_mine: ContextVar[Turn | None] = ContextVar("turn", default=None)


@contextmanager
def out_of_turn() -> Iterator[None]:
    """For work that others wait for, and for waiting for it: whoever does either holds no place that the other may need."""
    turn = _mine.get()
    if turn is None:
        yield
        return
    with turn.aside():
        yield
