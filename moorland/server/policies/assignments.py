"""Assignments of roles in the written form of bundle.md, read and made."""

from collections.abc import Collection, Iterable, Mapping
from typing import Any

from django.db.models import Q

from moorland.core.bundle.policy import Assignment as AssignmentShape
from moorland.server.directory.models import Account, Group
from moorland.server.errors import Failure, missing
from moorland.server.policies.models import Assignment, Role


def assignments_of_roles(only: Collection[int] | None = None) -> dict[int, list[dict[str, Any]]]:
    """Each role's assignments in the written form, by the role's id; of those to one person, only to these accounts where they are given."""
    result: dict[int, list[dict[str, Any]]] = {}
    found = Assignment.objects.select_related("account", "group")
    for assignment in found if only is None else found.filter(Q(account=None) | Q(account_id__in=only)):
        result.setdefault(assignment.role_id, []).append(assignment_document(assignment))
    return result


def assignment_document(assignment: Assignment) -> dict[str, Any]:
    """An assignment in the written form of bundle.md."""
    if assignment.account is not None:
        document: dict[str, Any] = {"user": assignment.account.login}
    elif assignment.group is not None:
        document = {"group": assignment.group.name}
    else:
        document = {"everyone": True} if assignment.everyone else {"when": assignment.when}
    if assignment.first_day:
        document["from"] = assignment.first_day.isoformat()
    if assignment.last_day:
        document["until"] = assignment.last_day.isoformat()
    if assignment.reason:
        document["reason"] = assignment.reason
    return document


def assign(role: Role, shapes: Iterable[AssignmentShape], accounts: Mapping[str, Account], groups: Mapping[str, Group]) -> None:
    """Maps a role as the assignments of a bundle say; whom they name is among these accounts and groups."""
    for shape in shapes:
        Assignment.objects.create(
            role=role,
            account=accounts[shape.user] if shape.user else None,
            group=groups[shape.group] if shape.group else None,
            everyone=bool(shape.everyone),
            when=shape.when or "",
            first_day=shape.from_,
            last_day=shape.until,
            reason=shape.reason or "",
        )


def add_assignment(role: Role, shape: AssignmentShape, by: Account) -> None:
    """Maps a role as the assignment says. Raises Failure: a user or group that does not exist, or what is mapped already."""
    account = Account.objects.filter(login=shape.user).first() if shape.user else None
    group = Group.objects.filter(name=shape.group).first() if shape.group else None
    if shape.user and account is None:
        raise missing("user", shape.user)
    if shape.group and group is None:
        raise missing("group", shape.group)
    who = {"account": account, "group": group, "everyone": bool(shape.everyone), "when": shape.when or ""}
    same = {"role": role, **who, "first_day": shape.from_, "last_day": shape.until}
    if Assignment.objects.filter(**same).exists():
        raise Failure(422, "invalid", "This is mapped already.")
    Assignment.objects.create(**same, reason=shape.reason or "", created_by=by)
