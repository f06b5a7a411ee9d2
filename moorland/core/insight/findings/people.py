"""Findings about people: attributes, holders, conflicts, ends."""

import datetime
from collections.abc import Iterator

from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.findings.finding import Finding, shown
from moorland.core.insight.holders import holders
from moorland.core.language import tree
from moorland.core.language.checking import check_condition
from moorland.core.people import Viewer

#: A limit that ends within so many days is noticed.
SOON = datetime.timedelta(days=30)


def people_findings(evaluator: Evaluator, viewers: list[Viewer]) -> Iterator[Finding]:
    """Attributes that nobody has, that nothing reads or that people may edit themselves; roles held by nobody; conflicts; limits that end."""
    used = _attributes_used(evaluator)
    enabled = [viewer for viewer in viewers if viewer.enabled]
    for index, definition in enumerate(evaluator.bundle.attributes):
        path, name = f"attributes[{index}]", definition.name
        if name in used and not any(viewer.attributes[name].values for viewer in enabled):
            yield Finding(
                kind="attribute_nobody_has",
                weight="middle",
                path=path,
                message=f"{name} is set for nobody, so what reads it opens nothing.",
                remedy="Give people or groups a value, or read another attribute.",
                evidence=shown(used[name]),
            )
        if name not in used:
            yield Finding(
                kind="attribute_unused",
                weight="low",
                path=path,
                message=f"No sentence and no assignment reads {name}.",
                remedy="Use it in a role, or delete it.",
            )
        if name in used and definition.editable_by == "person":
            yield Finding(
                kind="attribute_editable_by_person",
                weight="high",
                path=path,
                message=f"{name} decides access, and people may edit it themselves.",
                remedy="Let administrators or the organization edit it, or stop reading it in roles.",
                evidence=shown(used[name]),
            )
        conflicts = [viewer.login or "" for viewer in enabled if viewer.attributes[name].conflict]
        if conflicts:
            yield Finding(
                kind="people_in_conflict",
                weight="middle",
                path=path,
                message=f"Groups of equal standing give {len(conflicts)} people different values of {name}, so it counts as not set for them.",
                remedy="Give one of the groups a priority, or set the value for the person.",
                evidence=shown(conflicts),
            )
    held = holders(evaluator)
    for index, role in enumerate(evaluator.bundle.roles):
        active = [holder for holder in held[role.name] if holder.enabled]
        if not active:
            yield Finding(
                kind="role_held_by_nobody",
                weight="low",
                path=f"roles[{index}]",
                message=f"{role.title} is held by nobody who is enabled.",
                remedy="Assign it, or delete it.",
            )
        for position, assignment in enumerate(role.assigned if role.kind == "limit" else ()):
            if assignment.until is not None and evaluator.as_of <= assignment.until <= evaluator.as_of + SOON:
                days = (assignment.until - evaluator.as_of).days
                yield Finding(
                    kind="limit_ends_soon",
                    weight="middle",
                    path=f"roles[{index}].assigned[{position}]",
                    message=f"{role.title} ends in {days} days, on {assignment.until}; whom it narrows will see more.",
                    remedy="Extend the assignment, or confirm that it may end.",
                    evidence=shown([holder.login for holder in active]),
                )


def _attributes_used(evaluator: Evaluator) -> dict[str, list[str]]:
    """For each attribute the roles whose sentences or assignments read it."""
    used: dict[str, list[str]] = {}
    for role in evaluator.bundle.roles:
        read = set(evaluator.roles[role.name].viewer_reads)
        for assignment in role.assigned:
            if assignment.when is not None:
                read |= tree.viewer_values_read(check_condition(assignment.when, evaluator.people.assignment_scope))
        for name in read & evaluator.people.definitions.keys():
            used.setdefault(name, []).append(role.title)
    return used
