"""Answers of the live release that were worked out before, each under the viewer it was worked out for; what was used least recently makes room."""

import threading
from collections import OrderedDict
from collections.abc import Hashable

from pydantic import BaseModel

from moorland.core.engine.evaluator import Evaluator

#: What all answers kept may hold together; one larger than a hundredth of it is not kept.
KEPT_BYTES = 64 * 1024 * 1024

_kept: OrderedDict[Hashable, bytes] = OrderedDict()
_bytes = 0
_lock = threading.Lock()


def kept_answer(base: Evaluator, login: str, asked: Hashable) -> bytes | None:
    """What this viewer was answered before, by the same evaluator, as JSON; None where it has to be worked out.

    An evaluator never changes: a release, a change of people or data, or another day makes another one, and nothing of the one before is found.
    """
    key = (base.stamp, login, asked)
    with _lock:
        found = _kept.get(key)
        if found is not None:
            _kept.move_to_end(key)
        return found


def keep_answer(base: Evaluator, login: str, asked: Hashable, made: BaseModel) -> bytes:
    """An answer as JSON, kept under the viewer it was worked out for."""
    global _bytes
    key, written = (base.stamp, login, asked), made.model_dump_json(by_alias=True).encode()
    if len(written) > KEPT_BYTES // 100:
        return written
    with _lock:
        _bytes += len(written) - len(_kept.pop(key, b""))
        _kept[key] = written
        while _bytes > KEPT_BYTES:
            _bytes -= len(_kept.popitem(last=False)[1])
    return written
