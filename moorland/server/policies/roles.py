"""Roles of the draft: their entries in the list, and the checks and follow-ups of a save."""

from collections.abc import Iterable
from typing import Any

from moorland.core.bundle.policy import Assignment as AssignmentShape
from moorland.core.bundle.policy import Role as RoleShape
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.writing import to_plain
from moorland.core.insight.holders import Holder, reached
from moorland.core.insight.uses import renamed
from moorland.server.directory.service import holders_of, reached_of
from moorland.server.errors import Failure, from_document, missing
from moorland.server.evaluating import evaluator, evaluator_with
from moorland.server.policies.assignments import assignment_document
from moorland.server.policies.models import Assignment, Role
from moorland.server.policies.shapes import KeptAssignment, RoleEntry
from moorland.server.releases.bundles import live_release
from moorland.server.viewing.service import evaluators

#: The ways a role is held, each with how many it reaches.
Ways = list[tuple[AssignmentShape | None, int]]


def stored_role(name: str) -> Role:
    """A role of the draft. Raises Failure (404)."""
    role = Role.objects.filter(name=name, deleted=False).first()
    if role is None:
        raise missing("role", name)
    return role


def role_entry(role: Role) -> RoleEntry:
    """A role as the list shows it: how many hold it, assignments, and how it is live."""
    return role_entries([role], None)[0]


def role_entries(roles: Iterable[Role], known: set[str] | None) -> list[RoleEntry]:
    """The same of many, in as many queries as of one; counted are those somebody knows of (None: everybody)."""
    base, release = evaluator("draft"), live_release()
    held = holders_of(base)
    live = {release.role_ids.get(document["name"]): document for document in release.document["roles"]} if release else {}
    wanted = list(roles)
    mapped: dict[int, list[Assignment]] = {}
    for assignment in Assignment.objects.filter(role__in=[role.pk for role in wanted]).select_related("account", "group"):
        mapped.setdefault(assignment.role_id, []).append(assignment)
    entries = []
    for role in wanted:
        holders = known_of(held.get(role.name, []), known)
        ways = reached_of(base).get(role.name, []) if known is None else reached(holders)
        entries.append(_entry(role, len(holders), ways, live.get(role.pk), mapped.get(role.pk, [])))
    return entries


def known_of(holders: list[Holder], known: set[str] | None) -> list[Holder]:
    """Of those who hold a role, whom somebody knows of (None: everybody)."""
    return holders if known is None else [holder for holder in holders if holder.login in known]


def _entry(role: Role, people: int, ways: Ways, live: dict[str, Any] | None, mapped: list[Assignment]) -> RoleEntry:
    kept = [(assignment.pk, from_document(AssignmentShape, assignment_document(assignment))) for assignment in mapped]
    return RoleEntry(
        role=from_document(RoleShape, role.document),
        version=role.version,
        people=people,
        assignments=[KeptAssignment(id=key, assignment=shape, people=max((count for way, count in ways if way == shape), default=0)) for key, shape in kept],
        live=live is not None,
        changed=live != role.document,
        released=from_document(RoleShape, live) if live is not None else None,
    )


def role_document(shape: RoleShape) -> dict[str, Any]:
    """A role as it is stored: its assignments are kept apart."""
    document = to_plain(shape)
    document.pop("assigned", None)
    return document


def checked_role(shape: RoleShape, replaces: str | None) -> dict[str, Any]:
    """The role's document, if the draft can be evaluated with it in the place of another. Raises Failure with the problems inside the role."""
    renamed_to = shape.name if shape.name != replaces else None
    if renamed_to is not None:
        existing = Role.objects.filter(name=renamed_to).first()
        if existing is not None:
            message = f"There is a role {renamed_to} already."
            if existing.deleted and replaces is None:
                message = f"A role {renamed_to} was deleted in the draft and is live until the next release. Restore it, or choose another name."
            raise Failure(422, "invalid", message, [Problem("duplicate", message, path="name")])
    _, after, problems = evaluators("draft", None, [shape])
    if after is None:
        raise Failure(422, "invalid", problems[0].sentence(), problems)
    return role_document(shape)


def check_assignments(role: Role, added: list[AssignmentShape]) -> None:
    """Raises Failure where a condition cannot be used."""
    shape = from_document(RoleShape, role.document).model_copy(update={"assigned": added})
    try:
        evaluator_with(evaluator("draft"), [shape])
    except BundleError as error:
        raise Failure(422, "invalid", error.problems[0].message, error.problems) from None


def rename_elsewhere(old: str, new: str, own: int) -> None:
    """Follows a renamed role into the conditions of the others that ask whether it is held."""
    for other in Role.objects.filter(deleted=False).exclude(pk=own):
        shape = from_document(RoleShape, other.document)
        document = role_document(renamed(shape, old, new))
        if document != role_document(shape):
            other.rewritten(document)


def take_out(roles: Iterable[Role]) -> None:
    """Deletes roles of the draft; those that are live stay, marked, until the next release."""
    release = live_release()
    live = set(release.role_ids.values()) if release else set()
    for role in roles:
        if role.pk in live:
            role.deleted = True
            role.moved()
        else:
            role.delete()


def reached_by(name: str, added: list[AssignmentShape]) -> list[str]:
    """The logins some assignments of a role reach on the draft's day (5.2)."""
    base = evaluator("draft")
    role, paths = base.roles[name].role, base.people.assignment_path
    return [viewer.login or "" for viewer in base.everyone() if any(paths(role, item, viewer, base.as_of) is not None for item in added)]
