"""How far long work is; end it."""

from typing import Any, Literal

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.shape import Shape
from moorland.server.errors import ProblemShape, answer, missing
from moorland.server.tasks.models import Task


class TaskAnswer(Shape):
    """A task; `done` of `total` rows, or other pieces. `problems` say why it failed."""

    id: str
    kind: str
    subject: str
    state: Literal["waiting", "running", "done", "failed", "cancelled", "interrupted"]
    step: str
    done: int
    total: int
    result: dict[str, Any]
    problems: list[ProblemShape]


class TasksAnswer(Shape):
    """Tasks, newest first."""

    tasks: list[TaskAnswer]


def task_answer(task: Task) -> TaskAnswer:
    """A task as it is answered."""
    return TaskAnswer(
        id=str(task.pk),
        kind=task.kind,
        subject=task.subject,
        state=task.state,  # type: ignore[arg-type]
        step=task.step,
        done=task.done,
        total=task.total,
        result=task.result,
        problems=[ProblemShape(**problem) for problem in task.problems],
    )


def _task(key: str) -> Task:
    task = Task.objects.filter(pk=key).first()
    if task is None:
        raise missing("task", key)
    return task


class Tasks(APIView):
    """Administrators: what runs, and what ran lately."""

    @extend_schema(responses=TasksAnswer)
    def get(self, request: Request) -> Response:
        return answer(TasksAnswer(tasks=[task_answer(task) for task in Task.objects.all()[:20]]))


class OneTask(APIView):
    """Administrators: how far a task is; end it. Ending leaves nothing half done."""

    @extend_schema(responses=TaskAnswer)
    def get(self, request: Request, key: str) -> Response:
        return answer(task_answer(_task(key)))

    @extend_schema(request=None, responses={200: TaskAnswer})
    def delete(self, request: Request, key: str) -> Response:
        _task(key)
        Task.objects.filter(pk=key, state__in=("waiting", "running")).update(cancel_asked=True)
        return answer(task_answer(_task(key)))
