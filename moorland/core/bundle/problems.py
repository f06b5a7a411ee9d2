"""What is wrong with an input: where, why, and what to do about it."""

import difflib
from collections.abc import Iterable
from dataclasses import dataclass, replace


@dataclass(frozen=True)
class Problem:
    """One thing that is wrong.

    `file` and `path` say where in the bundle (`roles[2].sentences[0].rows.where`), `start` and `end` are character
    positions in the condition at that place, `nearest` the closest valid name.
    """

    code: str
    message: str
    file: str = ""
    path: str = ""
    start: int | None = None
    end: int | None = None
    nearest: str | None = None

    def at(self, path: str, file: str = "") -> "Problem":
        """The same problem, located."""
        return replace(self, path=path, file=file or self.file)

    def sentence(self) -> str:
        """The problem in one line: place, what is wrong, the remedy."""
        place = ": ".join(part for part in (self.file, self.path) if part)
        position = f" at character {self.start + 1}" if self.start is not None else ""
        remedy = f" Nearest name: {self.nearest}." if self.nearest else ""
        return f"{place}{position}: {self.message}{remedy}" if place or position else f"{self.message}{remedy}"


class BundleError(Exception):
    """The input is wrong; carries every problem found, not the first only."""

    def __init__(self, problems: Iterable[Problem]) -> None:
        self.problems = list(problems)
        super().__init__("\n".join(problem.sentence() for problem in self.problems))


def nearest_name(name: str, names: Iterable[str], likeness: float = 0.6) -> str | None:
    """The valid name closest to `name`, if one is close enough to be meant; a lower likeness (0 to 1) is for few names."""
    candidates = list(names)
    folded = {candidate.casefold().strip(): candidate for candidate in candidates}
    exact = folded.get(name.casefold().strip())
    if exact is not None:
        return exact
    close = difflib.get_close_matches(name.casefold(), folded, n=1, cutoff=likeness)
    return folded[close[0]] if close else None
