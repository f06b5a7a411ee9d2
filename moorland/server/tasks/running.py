"""Runs long work in a thread of the server: one piece at a time, so that memory stays bounded."""

import logging
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from django.conf import settings
from django.db import connection, transaction
from django.utils import timezone

from moorland.core.bundle.problems import BundleError, Problem
from moorland.server.directory.models import Account
from moorland.server.errors import Failure, problem_shape
from moorland.server.tasks.models import Task

Work = Callable[["Progress"], dict[str, Any]]

_pool = ThreadPoolExecutor(max_workers=1, thread_name_prefix="task")
_log = logging.getLogger(__name__)


class Cancelled(Exception):
    """Somebody asked for the task to end."""


class Progress:
    """How a task tells how far it is, and learns that it is to end."""

    def __init__(self, key: Any) -> None:
        self.key = key

    def told(self, step: str, done: int, total: int) -> None:
        """Records a step. Raises Cancelled where the task is to end."""
        if not Task.objects.filter(pk=self.key, cancel_asked=False).update(step=step, done=done, total=total):
            raise Cancelled


def start(kind: str, subject: str, account: Account, work: Work) -> Task:
    """Records a task, and runs it once the request's changes are kept. `work` gives the result, or raises with nothing half done."""
    task = Task.objects.create(kind=kind, subject=subject, created_by=account)
    if getattr(settings, "TASKS_INLINE", False):
        _run(task.pk, work)
    else:
        transaction.on_commit(lambda: _pool.submit(_in_thread, task.pk, work))
    task.refresh_from_db()
    return task


def _in_thread(key: Any, work: Work) -> None:
    try:
        _run(key, work)
    finally:
        connection.close()


def _run(key: Any, work: Work) -> None:
    task = Task.objects.get(pk=key)
    problems: list[Problem] = []
    result: dict[str, Any] = {}
    try:
        if not Task.objects.filter(pk=key, cancel_asked=False).update(state="running"):
            raise Cancelled
        result = work(Progress(key))
        state = "done"
    except Cancelled:
        state = "cancelled"
    except BundleError as error:
        state, problems = "failed", error.problems
    except Failure as error:
        state, problems = "failed", error.problems or [Problem(error.code, error.message)]
    except MemoryError:
        state, problems = "failed", [Problem("memory", "there is not enough memory for this file. Bring it in pieces, or as Parquet.")]
    except BaseException:  # whatever ends it, it does not go on
        _log.exception("task %s %s", task.kind, task.subject)
        state, problems = "failed", [Problem("server", "the server met an error. Nothing was changed.")]
    Task.objects.filter(pk=key).update(
        state=state,
        result=result,
        problems=[problem_shape(problem).model_dump(mode="json") for problem in problems[:200]],
        finished_at=timezone.now(),
    )


def mark_interrupted() -> None:
    """At the server's start: what ran when it was stopped did not finish, and is not resumed."""
    Task.objects.filter(state__in=("waiting", "running")).update(state="interrupted", finished_at=timezone.now())
