"""Who holds which role, and by which path (semantics.md 5.2)."""

from collections import Counter

from moorland.core.bundle.policy import Assignment
from moorland.core.bundle.shape import Shape
from moorland.core.engine.evaluator import Evaluator
from moorland.core.people import Viewer


class RolePath(Shape):
    """One way a role reaches somebody: the assignment and the groups on the way, the assigned one last."""

    assignment: Assignment | None
    groups: list[str]


class Holder(Shape):
    """Somebody who holds a role."""

    login: str
    name: str
    enabled: bool
    paths: list[RolePath]


def paths_of(viewer: Viewer, role: str) -> list[RolePath]:
    """The ways a held role reaches a viewer."""
    return [RolePath(assignment=assignment, groups=list(path)) for assignment, path in viewer.held[role].paths]


def held_by(evaluator: Evaluator, viewer: Viewer, role: str) -> list[str]:
    """The ways a role reaches a viewer, in words; none where it is not held."""
    held = viewer.held.get(role)
    return [_in_words(evaluator, assignment, groups) for assignment, groups in held.paths] if held else []


def _in_words(evaluator: Evaluator, assignment: Assignment | None, groups: tuple[str, ...]) -> str:
    if assignment is None:
        return "chosen for this look"
    until = f", until {assignment.until}" if assignment.until is not None else ""
    if assignment.user is not None:
        return f"assigned in person{until}"
    if assignment.group is not None:
        return f"through {' › '.join(evaluator.people.groups[name].title for name in groups)}{until}"
    return f"assigned to everyone{until}" if assignment.everyone else f"when {assignment.when}{until}"


def holders(evaluator: Evaluator) -> dict[str, list[Holder]]:
    """For each role those who hold it on the evaluator's day, in login order."""
    result: dict[str, list[Holder]] = {name: [] for name in evaluator.roles}
    for viewer in evaluator.everyone():
        for role in viewer.held:
            result[role].append(Holder(login=viewer.login or "", name=viewer.name or "", enabled=viewer.enabled, paths=paths_of(viewer, role)))
    return result


def reached(held: list[Holder]) -> list[tuple[Assignment | None, int]]:
    """The assignments by which a role is held, with how many of its holders each reaches."""
    # An assignment is one object for all it reaches.
    different = {id(path.assignment): path.assignment for holder in held for path in holder.paths}
    counts = Counter(key for holder in held for key in {id(path.assignment) for path in holder.paths})
    return [(assignment, counts[key]) for key, assignment in different.items()]


def page_openers(evaluator: Evaluator) -> dict[str, list[str]]:
    """For each page the logins that may open it (10.2)."""
    result: dict[str, list[str]] = {page.name: [] for page in evaluator.bundle.pages}
    for viewer in evaluator.everyone():
        for page in result:
            if evaluator.may_open(viewer, page):
                result[page].append(viewer.login or "")
    return result
