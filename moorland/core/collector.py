"""The collector of circles, told to wait while many small objects without circles are made."""

import contextlib
import gc
from collections.abc import Iterator


@contextlib.contextmanager
def collector_paused() -> Iterator[None]:
    """Looking for circles among many new objects again and again takes longer than making them."""
    running = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if running:
            gc.enable()
