"""Checks that take a while: each worked out once for a state, two at a time so that a quick one need not wait, while whoever waits is told how far it is."""

import logging
import threading
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any

from django.conf import settings
from django.db import connection

from moorland.core.bundle.problems import BundleError
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.unanswered import LeftInPlace, SourceFailed
from moorland.core.price import TooCostly
from moorland.server.errors import failure_of
from moorland.server.pricing import priced

#: So many results are kept.
MOST_KEPT = 12
#: Nothing here takes longer than an hour; only that is bounded.
SECONDS, UNBOUNDED = 3600.0, 10**15

Progress = Callable[[int, int], None]
_pool = ThreadPoolExecutor(max_workers=2, thread_name_prefix="checks")
_kept: "OrderedDict[tuple[object, str], Work]" = OrderedDict()
_lock = threading.Lock()
_log = logging.getLogger(__name__)


@dataclass
class Work:
    """Something that is worked out: how far it is, and what came of it (None until then, and where it failed)."""

    done: int = 0
    of: int = 0
    result: Any = None
    failed: str | None = None
    ended: threading.Event = field(default_factory=threading.Event)

    def told(self, done: int, of: int) -> None:
        """Notes how far it is."""
        self.done, self.of = done, of


def worked_out(base: Evaluator, what: str, make: Callable[[Progress], Any]) -> Work:
    """What is worked out of an evaluator under a name: begun where nobody asked before. An evaluator never changes, so neither does what came of it."""
    key = (base.stamp, what)
    with _lock:
        known = _kept.get(key)
        if known is not None:
            _kept.move_to_end(key)
            return known
        work = _kept[key] = Work()
        while len(_kept) > MOST_KEPT:
            _kept.popitem(last=False)
    if getattr(settings, "TASKS_INLINE", False):
        _run(work, make)
    else:
        _pool.submit(_in_thread, work, make)
    return work


def known(base: Evaluator, what: str) -> Work | None:
    """What is being worked out, or was, under a name; None where nobody asked for it yet."""
    with _lock:
        return _kept.get((base.stamp, what))


def _in_thread(work: Work, make: Callable[[Progress], Any]) -> None:
    """Works it out beside the requests, which go first whenever they are due."""
    try:
        with priced("checks in the background", SECONDS, UNBOUNDED, UNBOUNDED, None, SECONDS, UNBOUNDED):
            _run(work, make)
    finally:
        connection.close()


def _run(work: Work, make: Callable[[Progress], Any]) -> None:
    try:
        work.result = make(work.told)
    except BundleError as error:
        work.failed = error.problems[0].sentence()
    except (TooCostly, LeftInPlace, SourceFailed) as refused:
        known = failure_of(refused)
        work.failed = known.message if known is not None else str(refused)
    except Exception:  # whatever ends it, somebody waits to be told
        _log.exception("a check")
        work.failed = "the server met an error."
    finally:
        work.ended.set()
