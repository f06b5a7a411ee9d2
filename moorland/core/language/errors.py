"""What is wrong with a condition, and where in its text."""

from moorland.core.bundle.problems import Problem


class ConditionError(Exception):
    """A condition that cannot be used. `code` is machine-readable; start and end are positions in the text."""

    def __init__(self, code: str, message: str, start: int, end: int, nearest: str | None = None) -> None:
        self.code, self.start, self.end, self.nearest = code, start, max(end, start + 1), nearest
        self.message = message
        super().__init__(message)

    def problem(self, path: str = "") -> Problem:
        """The same as a problem of a bundle, at a path."""
        return Problem(self.code, self.message, path=path, start=self.start, end=self.end, nearest=self.nearest)
