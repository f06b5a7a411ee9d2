"""What the API tells of promises."""

from pydantic import Field

from moorland.core.bundle.promises import Promise as PromiseShape
from moorland.core.bundle.shape import Shape


class PromiseOutcome(Shape):
    """Whether a promise is kept in a state, since when, and what was found; the sentence is for who may look at everybody with values."""

    kept: bool
    since: str | None
    message: str | None


class PromiseEntry(Shape):
    """A promise of the draft with its outcomes; the promise itself is for who may look at everybody with values."""

    name: str
    label: str
    version: int
    promise: PromiseShape | None
    draft: PromiseOutcome
    live: PromiseOutcome | None


class PromisesAnswer(Shape):
    """All promises of the draft. `may_write`: whether whoever asks may make and change them."""

    promises: list[PromiseEntry]
    may_write: bool


class PromiseSave(Shape):
    """A promise to keep; `version` is the one that was read, null for a new one."""

    promise: PromiseShape
    version: int | None = Field(default=None, ge=1)


class PromiseTry(Shape):
    """A promise to try, kept nowhere."""

    promise: PromiseShape


class PromiseTried(Shape):
    """What a promise would find in the draft and in what is live."""

    draft: PromiseOutcome
    live: PromiseOutcome


class BrokenPromise(Shape):
    """A promise that the draft does not keep."""

    name: str
    label: str
    message: str | None
