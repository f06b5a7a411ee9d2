"""Promises run for the draft and what is live: each once for a state, kept until something changes."""

import logging
import threading
import time
from collections.abc import Iterable
from typing import get_args

from django.db import connection
from django.utils import timezone

from moorland.core.bundle.document import Bundle
from moorland.core.bundle.problems import BundleError
from moorland.core.bundle.promises import Promise as PromiseShape
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.promises import PromiseResult, models_of, run_promise
from moorland.core.price import step
from moorland.server.checks.models import PromiseState
from moorland.server.errors import Failure
from moorland.server.evaluating import evaluator
from moorland.server.releases.bundles import State, live_number
from moorland.server.releases.models import Workspace

#: Results of so many promises are kept.
MOST_KEPT = 5_000
#: After a change promises are run once nothing else changed for so many seconds.
QUIET_SECONDS = 3.0
STATES: tuple[State, ...] = get_args(State)

_kept: dict[tuple[object, str], PromiseResult] = {}
_lock = threading.Lock()
_log = logging.getLogger(__name__)


def outcome(base: Evaluator, promise: PromiseShape) -> PromiseResult:
    """Whether a promise is kept; one that names what is not there (any more) is not."""
    step()
    try:
        return run_promise(base, promise)
    except BundleError as wrong:
        message = f"it cannot be asked: {wrong.problems[0].message}"
        return PromiseResult(name=promise.name, label=promise.title, viewer="", kept=False, message=message)


def results(state: State, promises: Iterable[PromiseShape]) -> list[PromiseResult]:
    """Promises run for a state; what was run for it before is not run again."""
    base, found = evaluator(state), []
    for promise in promises:
        key = (base.stamp, promise.model_dump_json())
        with _lock:
            known = _kept.get(key)
        if known is None:
            known = outcome(base, promise)
            with _lock:
                if len(_kept) >= MOST_KEPT:
                    _kept.clear()
                _kept[key] = known
        found.append(known)
    _note(state, found)
    return found


def _note(state: State, found: list[PromiseResult]) -> None:
    """Keeps since when each is as it is."""
    known = {item.name: item for item in PromiseState.objects.filter(state=state)}
    for result in found:
        before = known.get(result.name)
        if before is None:
            PromiseState.objects.get_or_create(name=result.name, state=state, defaults={"kept": result.kept})
        elif before.kept != result.kept:
            PromiseState.objects.filter(pk=before.pk).update(kept=result.kept, since=timezone.now())


def broken_by(base: Evaluator) -> list[PromiseResult]:
    """The promises of what would be live, and of what is, that it would not keep: what stands against making it live."""
    live = evaluator("live").bundle
    own = {promise.name: promise for promise in base.bundle.promises}
    # One that is taken out or changed is asked as it was, too.
    former = [promise for promise in live.promises if own.get(promise.name) != promise]
    known = results("draft", base.bundle.promises) if base is evaluator("draft") else [outcome(base, promise) for promise in base.bundle.promises]
    return [result for result in [*known, *(outcome(base, promise) for promise in former)] if not result.kept]


def affected_first(before: Bundle | None, now: Bundle) -> list[PromiseShape]:
    """The promises in the order in which a change is felt: those about models whose roles or shapes changed, and those about all, before others."""
    if before is None or (before.users, before.groups, before.organizations) != (now.users, now.groups, now.organizations):
        return list(now.promises)
    sides = [({role.name: role for role in side.roles}, {model.name: model for model in side.models}) for side in (before, now)]
    (old_roles, old_models), (new_roles, new_models) = sides
    roles = [side[name] for side in (old_roles, new_roles) for name in side if old_roles.get(name) != new_roles.get(name)]
    changed = {role.model for role in roles} | {name for name in {*old_models, *new_models} if old_models.get(name) != new_models.get(name)}
    return sorted(now.promises, key=lambda promise: bool(about := models_of(promise.must)) and not changed.intersection(about))


def keep_running() -> None:
    """Runs the promises of the draft and of what is live after every change, once it has been quiet for a moment, for as long as the server runs."""
    seen: tuple[int, ...] | None = None
    run: tuple[int, ...] | None = None
    before: dict[State, Bundle] = {}
    while True:
        time.sleep(QUIET_SECONDS)
        try:
            now = _counters()
            if now is not None and now == seen and now != run:
                for state in STATES:
                    if state == "draft" or live_number():
                        now_there = evaluator(state).bundle
                        results(state, affected_first(before.get(state), now_there))
                        before[state] = now_there
                run = now
            seen = now
        except Failure:
            run = seen
        except Exception:
            _log.exception("promises could not be run")
            run = seen
        finally:
            connection.close()


def _counters() -> tuple[int, ...] | None:
    """What any outcome can depend on, as counters; None before there is a workspace."""
    space = Workspace.objects.first()
    return None if space is None else (space.policy_version, space.people_version, space.data_version, live_number())
