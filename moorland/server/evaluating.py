"""The evaluators of the draft and of the live release, kept until something changes."""

import datetime
import threading
import zoneinfo
from collections.abc import Collection, Iterator
from contextlib import contextmanager
from typing import Any

from django.conf import settings
from django.db import connection

from moorland.core.bundle.document import Bundle
from moorland.core.bundle.policy import Role as RoleShape
from moorland.core.bundle.problems import BundleError
from moorland.core.bundle.reading import read_document
from moorland.core.bundle.structure import check_role
from moorland.core.bundle.writing import to_plain
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.model_data import ModelData
from moorland.core.price import step
from moorland.core.today import today_in
from moorland.server.catalog.kept_lines import lived_loader
from moorland.server.catalog.storage import load_table
from moorland.server.errors import Failure
from moorland.server.releases.bundles import State, bundle_about, bundle_of, live_number, lived_bundle, workspace
from moorland.server.releases.models import Workspace
from moorland.server.sources.engines import Contents, contents, contents_anew, loader
from moorland.server.turns import out_of_turn

#: So many evaluators, and models with their data, are kept: draft and live on a few days.
MOST_KEPT = 12

_evaluators: dict[tuple[Any, ...], Evaluator] = {}
_joined: dict[object, ModelData] = {}
_lock = threading.Lock()
_making = threading.Lock()
#: Seconds between two looks, while waiting, at whether the answer is still wanted.
LOOK_SECONDS = 0.5


def evaluator(state: State, as_of: datetime.date | None = None, as_lived: bool = False) -> Evaluator:
    """The evaluator of the draft or the live release, kept until something changes.

    With `as_lived`, a day that is over is answered with the people, the lines kept here and the release of its end, on today's other rows.

    Every change moves a counter of the workspace in its own transaction; one that moved while the bundle was read means reading again.

    Raises Failure (409) where the state cannot be evaluated; nothing is answered then.
    """
    while True:
        space = workspace()
        today = today_in(space.time_zone)
        day = as_of or today
        lived = as_lived and state == "live" and day < today
        versions = _versions(space, state)
        held = contents()
        if held:
            held += _anew(state, versions, day)
        key = (str(settings.DATA), f"{state} as lived" if lived else state, *versions, day, held)
        with _lock:
            if key in _evaluators:
                return _evaluators[key]
        with _one_at_a_time():
            with _lock:
                if key in _evaluators:
                    return _evaluators[key]
            try:
                made = _as_lived(day, space, held) if lived else _reloaded(key) or _made(bundle_of(state), day, held)
            except BundleError as error:
                raise Failure(409, "unusable", f"The {state} state cannot be evaluated: {error.problems[0].sentence()}", error.problems) from None
            if _versions(workspace(), state) == versions:
                kept = _kept(key, made)
                # What it reads anew is only known now.
                if not held or _anew(state, versions, day) == tuple(item for item in held if len(item[0]) > 1):
                    return kept


def _anew(state: State, versions: tuple[int, int, int], day: datetime.date) -> Contents:
    """What tables hold that the evaluator of these versions reads anew for every question; nothing before there is one."""
    with _lock:
        found = next((kept for key, kept in _evaluators.items() if key[:6] == (str(settings.DATA), state, *versions, day)), None)
    return contents_anew(found.bundle, found.read_anew) if found is not None and found.read_anew else ()


def _made(bundle: Bundle, day: datetime.date | None, held: Contents) -> Evaluator:
    return Evaluator(bundle, loader(bundle, load_table, dict(held)), day, _secret(), _joined)


def _reloaded(key: tuple[Any, ...]) -> Evaluator | None:
    """The evaluator that is kept already, with what sources hold now; None where anything else changed."""
    with _lock:
        found = next((kept for known, kept in _evaluators.items() if known[:6] == key[:6]), None)
    return found.reloaded(loader(found.bundle, load_table, dict(key[6]))) if found is not None else None


def _as_lived(day: datetime.date, space: Workspace, held: Contents) -> Evaluator:
    """A day that is over. Where lines kept here have changed since, what is joined is its own: it would take the place of what is joined of today."""
    load = lived_loader(day, zoneinfo.ZoneInfo(space.time_zone))
    bundle = lived_bundle(day)
    return Evaluator(bundle, loader(bundle, load or load_table, dict(held)), day, _secret(), _joined if load is None else None)


@contextmanager
def _one_at_a_time() -> Iterator[None]:
    """Lets one request make what the others wait for. None waits inside a transaction, and none holds a place that others wait for."""
    if connection.in_atomic_block:
        yield
        return
    with out_of_turn():
        while not _making.acquire(timeout=LOOK_SECONDS):
            step()
        try:
            yield
        finally:
            _making.release()


def _versions(space: Workspace, state: State) -> tuple[int, int, int]:
    """What a state is read from, as counters; editing the draft makes nothing live anew."""
    policy = space.policy_version if state == "draft" else live_number()
    return (policy, space.people_version, space.data_version)


def _kept(key: tuple[Any, ...], made: Evaluator) -> Evaluator:
    """Keeps an evaluator in place of those of earlier versions. No lock is held while one is made: a request that writes may be waiting."""
    with _lock:
        for old in [old for old in _evaluators if old[:2] == key[:2] and (old[2:5] != key[2:5] or old[6] != key[6])]:
            del _evaluators[old]
        while len(_joined) > MOST_KEPT:
            del _joined[next(iter(_joined))]
        kept = _evaluators.setdefault(key, made)
        while len(_evaluators) > MOST_KEPT:
            del _evaluators[next(iter(_evaluators))]
        return kept


def evaluator_about(state: State, only: Collection[int]) -> Evaluator:
    """An evaluator with some of the people alone, by the ids of their accounts: quick, whoever else was changed meanwhile."""
    policy = _versions(workspace(), state)[0]
    with _lock:
        kept = next((item for key, item in _evaluators.items() if key[:3] == (str(settings.DATA), state, policy)), None)
    return (kept or evaluator(state)).on(bundle_about(state, only))


def evaluator_with(base: Evaluator, roles: list[RoleShape], people: dict[str, Any] | None = None) -> Evaluator:
    """An evaluator in which some roles are replaced or added, or the people differ, and all else is as in `base`.

    Raises BundleError with the problems of what was changed.
    """
    bundle = base.bundle
    if people is not None:
        return base.on(read_document({**to_plain(bundle), **people}))
    edited = {role.name: role for role in roles}
    kept = [edited.pop(role.name, role) for role in bundle.roles]
    bundle = bundle.model_copy(update={"roles": [*kept, *edited.values()]})
    changed = {role.name for role in roles}
    problems = [problem for index, role in enumerate(bundle.roles) if role.name in changed for problem in check_role(bundle, role, f"roles[{index}]")]
    if problems:
        raise BundleError(problems)
    if len(roles) == 1 and not edited:
        return base.with_role(roles[0])
    return base.on(bundle, same_rows=True)


def evaluator_of(bundle: Bundle) -> Evaluator:
    """An evaluator of a bundle that may come to nothing, on the data as it is; what it joins is kept, so that the next like it is quick.

    Raises BundleError where the bundle cannot be used.
    """
    return _made(bundle, None, contents())


def _secret() -> bytes:
    return str(settings.SECRET_KEY).encode()[:64]
