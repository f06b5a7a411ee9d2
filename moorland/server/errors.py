"""Errors as sentences with a machine-readable code beside."""

import errno
import json
from typing import Any, TypeVar

from django.core.exceptions import PermissionDenied
from django.db import IntegrityError, OperationalError
from django.http import Http404
from pydantic import BaseModel, ValidationError
from rest_framework import exceptions
from rest_framework.request import Request
from rest_framework.response import Response

from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.shape import Shape
from moorland.core.engine.questions import Refused
from moorland.core.engine.unanswered import LeftInPlace, SourceFailed
from moorland.core.price import TooCostly, Unwanted

Body = TypeVar("Body", bound=BaseModel)


class ProblemShape(Shape):
    """One problem with its place; start and end are positions in the condition at that path."""

    code: str
    message: str
    path: str
    start: int | None = None
    end: int | None = None
    nearest: str | None = None


class ErrorShape(Shape):
    """What is wrong, in a sentence; `current` is the stored version where a save was stale."""

    code: str
    message: str
    problems: list[ProblemShape]
    current: dict[str, Any] | None = None


class ErrorAnswer(Shape):
    """The body of every answer that is an error."""

    error: ErrorShape


class Failure(Exception):
    """An error with its HTTP status."""

    def __init__(self, status: int, code: str, message: str, problems: list[Problem] | None = None, current: dict[str, Any] | None = None) -> None:
        self.status, self.code, self.message, self.problems, self.current = status, code, message, problems or [], current
        super().__init__(message)


def missing(what: str, name: str) -> Failure:
    """404: nothing of that name."""
    return Failure(404, "not_found", f"There is no {what} named {name}.")


def stale(what: str, current: dict[str, Any]) -> Failure:
    """409: somebody else saved in between."""
    return Failure(409, "stale", f"Somebody changed {what} while you were editing it. Your version is kept here; compare and save again.", current=current)


def problem_shape(problem: Problem) -> ProblemShape:
    """A problem of the core as it is answered."""
    return ProblemShape(
        code=problem.code, message=problem.message, path=problem.path or problem.file, start=problem.start, end=problem.end, nearest=problem.nearest
    )


def read_body(request: Request, shape: type[Body]) -> Body:
    """The body of a request as a shape. Raises Failure (400) naming every field that is wrong."""
    try:
        return shape.model_validate_json(request.body or b"{}")
    except ValidationError as error:
        problems = [
            Problem("shape", detail["msg"], path=".".join(str(step) for step in detail["loc"]))
            for detail in error.errors(include_url=False, include_context=False)
        ]
        raise Failure(400, "invalid", "The request is not of the shape this address takes.", problems) from None


def from_document(shape: type[Body], document: dict[str, Any]) -> Body:
    """A stored document as its shape; days stand in it as text."""
    return shape.model_validate_json(json.dumps(document))


class Written(Response):
    """An answer whose body is written already."""

    data: str

    @property
    def rendered_content(self) -> str:
        """The body as it is sent."""
        self["Content-Type"] = "application/json"
        return self.data


def answer(shape: BaseModel, status: int = 200) -> Response:
    """A shape as the body of an answer, written out at once: some are of ten thousand people."""
    return Written(shape.model_dump_json(by_alias=True), status=status)


def failure_of(error: Exception) -> Failure | None:
    """How a known error is told; None for one that nobody foresaw."""
    if isinstance(error, Failure):
        return error
    if isinstance(error, BundleError):
        message = error.problems[0].sentence() if len(error.problems) == 1 else f"{len(error.problems)} things are wrong."
        return Failure(422, "invalid", message, error.problems)
    if isinstance(error, Refused):
        return Failure(404 if error.code == "not_found" else 422, error.code, error.message)
    if isinstance(error, ValidationError | RecursionError | OverflowError | UnicodeError):
        # A value that passed the shape of the request and fits nowhere after it.
        return Failure(422, "invalid", "A value in this request is longer, larger or nested deeper than what it stands for may be.")
    if isinstance(error, IntegrityError):
        return Failure(409, "stale", "Somebody stored the same at the same moment. Look again, then decide.")
    if isinstance(error, OperationalError) and "locked" in str(error):
        return Failure(503, "busy", "The server is writing something else. Nothing was changed; try again in a moment.")
    if isinstance(error, OperationalError | OSError) and ("is full" in str(error) or getattr(error, "errno", None) in (errno.ENOSPC, errno.EDQUOT)):
        return Failure(507, "disk_full", "The disk of the server is full. Nothing was changed; whoever runs the server has to make room.")
    if isinstance(error, SourceFailed):
        return Failure(503, "not_available", "This is not available now. Who keeps sources is told what is wrong.")
    if isinstance(error, LeftInPlace):
        return Failure(422, "in_place", str(error))
    if isinstance(error, TooCostly):
        return Failure(422, "too_costly", error.message)
    if isinstance(error, Unwanted):
        return Failure(499, "unwanted", "Nobody waits for this answer any more.")
    if isinstance(error, exceptions.NotAuthenticated | exceptions.AuthenticationFailed):
        return Failure(401, "signed_out", "You are not signed in.")
    if isinstance(error, exceptions.PermissionDenied | PermissionDenied):
        return Failure(403, "not_allowed", str(getattr(error, "detail", "")) if "CSRF" in str(error) else "Your account may not do this.")
    if isinstance(error, exceptions.NotFound | Http404):
        return Failure(404, "not_found", "There is nothing at this address.")
    if isinstance(error, exceptions.APIException):
        return Failure(error.status_code, "request", str(error.detail))
    return None


def handle(error: Exception, context: dict[str, Any]) -> Response | None:
    """DRF's exception handler: every known error becomes an ErrorAnswer; an unknown one is left to be a plain 500."""
    failure = failure_of(error)
    if failure is None:
        return None
    response = answer(
        ErrorAnswer(
            error=ErrorShape(
                code=failure.code, message=failure.message, problems=[problem_shape(problem) for problem in failure.problems], current=failure.current
            )
        ),
        failure.status,
    )
    if failure.status == 401:
        response["WWW-Authenticate"] = "Session"
    return response
