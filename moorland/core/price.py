"""What one answer may cost: seconds, lines, values and text made for the occasion. Looked at between the steps of an answer.

Whoever asks sets a price around the work (`within`); without one there is no bound, as on the command line. The bounds are over what
the asker sees and has written, so reaching one tells nothing of what is withheld.
"""

import contextlib
import contextvars
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass


class TooCostly(Exception):
    """An answer would cost more than it may. The message tells the asker how to narrow it."""

    def __init__(self, message: str) -> None:
        self.message = message
        super().__init__(message)


class Unwanted(Exception):
    """Nobody waits for the answer any more."""


@dataclass
class Price:
    """The bounds of one piece of work; `values` and `text` are for all answers in it together, `lines` for each.

    `text` counts signs of texts put together for the occasion. `unwanted` says whether whoever asked has gone.
    """

    seconds: float
    lines: int
    values: int
    text: int = 100_000_000
    unwanted: Callable[[], bool] | None = None
    #: Called between steps, to let others go first.
    turn: Callable[[], None] | None = None

    def __post_init__(self) -> None:
        self.until = time.monotonic() + self.seconds


_asked: contextvars.ContextVar[Price | None] = contextvars.ContextVar("price", default=None)


@contextlib.contextmanager
def within(price: Price) -> Iterator[None]:
    """All that is worked out inside has this price."""
    token = _asked.set(price)
    try:
        yield
    finally:
        _asked.reset(token)


def step() -> None:
    """Between two steps. Raises TooCostly when the time is over, Unwanted when the asker has gone."""
    price = _asked.get()
    if price is None:
        return
    if price.turn is not None:
        price.turn()
    if price.unwanted is not None and price.unwanted():
        raise Unwanted
    if time.monotonic() > price.until:
        raise TooCostly(f"This takes longer than the {price.seconds:g} seconds a question may take. Ask by fewer columns, or narrow it with a filter.")


def asker_gone() -> Callable[[], bool]:
    """Says, from any thread, whether whoever asked for what is being worked out here has gone."""
    price = _asked.get()
    return price.unwanted if price is not None and price.unwanted is not None else lambda: False


def most_lines() -> int | None:
    """How many lines one answer may have."""
    price = _asked.get()
    return price.lines if price is not None else None


def pay_lines(lines: int, width: int) -> None:
    """Before lines of so many values are written out. Raises TooCostly."""
    step()
    price = _asked.get()
    if price is None:
        return
    if lines > price.lines:
        raise TooCostly(f"This would give {lines:,} lines; an answer has at most {price.lines:,}. Ask by fewer columns, or narrow it with a filter.")
    price.values -= lines * width
    if price.values < 0:
        raise TooCostly("These answers together hold more values than may be sent at once. Ask fewer questions, or by fewer columns.")


def pay_text(signs: int) -> None:
    """After texts of so many signs were put together. Raises TooCostly."""
    step()
    price = _asked.get()
    if price is None:
        return
    price.text -= signs
    if price.text < 0:
        raise TooCostly("This puts longer texts together than a question may. Use shorter ones, or narrow it with a filter.")
