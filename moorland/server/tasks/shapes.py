"""A task as it is answered."""

from typing import Any, Literal

from moorland.core.bundle.shape import Shape
from moorland.server.errors import ProblemShape
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
