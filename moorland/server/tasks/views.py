"""How far long work is; end it."""

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.shape import Shape
from moorland.server.duties.permission import request_rights, within
from moorland.server.errors import answer, missing
from moorland.server.requests import account_of
from moorland.server.tasks.models import Task
from moorland.server.tasks.shapes import TaskAnswer, task_answer


class TasksAnswer(Shape):
    """Tasks, newest first."""

    tasks: list[TaskAnswer]


def _task(request: Request, key: str) -> Task:
    task = Task.objects.filter(pk=key).first()
    if task is None or not _known(request, task):
        raise missing("task", key)
    return task


def _known(request: Request, task: Task) -> bool:
    """Whether a task exists for whoever asks: it is their own, or works on a model they keep."""
    return task.created_by_id == account_of(request).pk or request_rights(request).reaches("models", model=task.subject.partition(".")[0])


class Tasks(APIView):
    """By duty: what runs, and what ran lately."""

    needs = {"GET": within("models", "people")}

    @extend_schema(responses=TasksAnswer)
    def get(self, request: Request) -> Response:
        return answer(TasksAnswer(tasks=[task_answer(task) for task in Task.objects.all()[:100] if _known(request, task)][:20]))


class OneTask(APIView):
    """By duty: how far a task is; end it. Ending leaves nothing half done."""

    needs = {"GET": within("models", "people"), "DELETE": within("models", "people")}

    @extend_schema(responses=TaskAnswer)
    def get(self, request: Request, key: str) -> Response:
        return answer(task_answer(_task(request, key)))

    @extend_schema(request=None, responses={200: TaskAnswer})
    def delete(self, request: Request, key: str) -> Response:
        _task(request, key)
        Task.objects.filter(pk=key, state__in=("waiting", "running")).update(cancel_asked=True)
        return answer(task_answer(_task(request, key)))
