"""How far long work is; end it."""

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.shape import Shape
from moorland.server.errors import answer, missing
from moorland.server.tasks.models import Task
from moorland.server.tasks.shapes import TaskAnswer, task_answer


class TasksAnswer(Shape):
    """Tasks, newest first."""

    tasks: list[TaskAnswer]


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
