"""Roles of the draft: write, save, delete, restore; assignments, which act at once."""

from typing import Any

from django.db import transaction
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.policy import Assignment as AssignmentShape
from moorland.core.bundle.policy import Role as RoleShape
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.writing import to_plain
from moorland.core.insight.uses import renamed, uses_of_role
from moorland.server.directory.models import Account, Group
from moorland.server.directory.service import holders_of, made, tried
from moorland.server.directory.shapes import ImpactAnswer
from moorland.server.errors import Failure, answer, from_document, missing, read_body, stale
from moorland.server.policies.models import Assignment, Role
from moorland.server.policies.shapes import AssignmentsRequest, DeletedRole, KeptAssignment, MappingAnswer, RoleEntry, RolesAnswer, RoleSave, RoleUsesAnswer
from moorland.server.state import assignment_document, evaluator, evaluator_with, live_release, policy_changed
from moorland.server.trail.models import record
from moorland.server.viewing.service import evaluators


def role_entry(role: Role) -> RoleEntry:
    held = holders_of(evaluator("draft")).get(role.name, [])
    kept = [(assignment.pk, assignment_document(assignment)) for assignment in role.assignments.select_related("account", "group")]
    release = live_release()
    live = next((document for document in release.document["roles"] if release.role_ids.get(document["name"]) == role.pk), None) if release else None
    return RoleEntry(
        role=from_document(RoleShape, role.document),
        version=role.version,
        holders=held,
        assignments=[KeptAssignment(id=key, assignment=from_document(AssignmentShape, document), people=_reached(held, document)) for key, document in kept],
        live=live is not None,
        changed=live != role.document,
        released=from_document(RoleShape, live) if live is not None else None,
    )


def _reached(held: list[Any], document: dict[str, Any]) -> int:
    """How many people an assignment reaches today."""
    wanted = from_document(AssignmentShape, document)
    return sum(any(path.assignment == wanted for path in holder.paths) for holder in held)


def _role(name: str) -> Role:
    role = Role.objects.filter(name=name, deleted=False).first()
    if role is None:
        raise missing("role", name)
    return role


def _checked(shape: RoleShape, replaces: str | None) -> dict[str, Any]:
    """The role's document, if the draft can be evaluated with it. Raises Failure with the problems inside the role."""
    base, after, problems = evaluators("draft", None, [shape])
    if after is None:
        raise Failure(422, "invalid", problems[0].sentence(), problems)
    if replaces is not None and replaces != shape.name and shape.name in base.roles:
        raise Failure(422, "invalid", f"There is a role {shape.name} already.", [Problem("duplicate", f"there is a role {shape.name} already.", path="name")])
    document = to_plain(shape)
    document.pop("assigned", None)
    return document


class Roles(APIView):
    """Administrators: all roles of the draft; a new role."""

    @extend_schema(responses=RolesAnswer)
    def get(self, request: Request) -> Response:
        roles = [role_entry(role) for role in Role.objects.filter(deleted=False)]
        deleted = [DeletedRole(name=role.name, label=role.document.get("label") or role.name) for role in Role.objects.filter(deleted=True)]
        return answer(RolesAnswer(roles=roles, deleted=deleted))

    @extend_schema(request=RoleSave, responses={201: RoleEntry})
    def post(self, request: Request) -> Response:
        asked = read_body(request, RoleSave)
        existing = Role.objects.filter(name=asked.role.name).first()
        if existing is not None:
            message = f"There is a role {existing.name} already."
            if existing.deleted:
                message = f"A role {existing.name} was deleted in the draft and is live until the next release. Restore it, or choose another name."
            raise Failure(422, "invalid", message, [Problem("duplicate", message, path="name")])
        document = _checked(asked.role, None)
        with transaction.atomic():
            last = Role.objects.order_by("-position").first()
            role = Role.objects.create(name=asked.role.name, document=document, position=last.position + 1 if last else 0)
            policy_changed()
            record(request.user.login, "add role", role.name, document=document)
        return answer(role_entry(role), 201)


class OneRole(APIView):
    """Administrators: save, rename or delete a role of the draft; stale saves are refused."""

    @extend_schema(request=RoleSave, responses=RoleEntry)
    def put(self, request: Request, name: str) -> Response:
        asked = read_body(request, RoleSave)
        with transaction.atomic():
            role = _role(name)
            if role.version != asked.version:
                raise stale(f"the role {name}", role_entry(role).model_dump(mode="json", by_alias=True))
            document = _checked_rename(asked.role, name)
            if document != role.document:
                before = role.document
                if asked.role.name != name:
                    _rename_elsewhere(name, asked.role.name, role.pk)
                role.name, role.document, role.version = asked.role.name, document, role.version + 1
                role.save()
                policy_changed()
                record(request.user.login, "change role", name, before=before, after=document)
        return answer(role_entry(role))

    @extend_schema(request=None, responses={204: None}, parameters=[OpenApiParameter("version", int, required=True)])
    def delete(self, request: Request, name: str) -> Response:
        with transaction.atomic():
            role = _role(name)
            if str(role.version) != request.query_params.get("version"):
                raise stale(f"the role {name}", role_entry(role).model_dump(mode="json", by_alias=True))
            release = live_release()
            if release is not None and role.pk in release.role_ids.values():
                role.deleted = True
                role.version += 1
                role.save()
            else:
                role.delete()
            policy_changed()
            record(request.user.login, "delete role", name)
        return Response(status=204)


def _checked_rename(shape: RoleShape, name: str) -> dict[str, Any]:
    if shape.name == name:
        return _checked(shape, name)
    if Role.objects.filter(name=shape.name).exists():
        raise Failure(422, "invalid", f"There is a role {shape.name} already.", [Problem("duplicate", "this name is taken.", path="name")])
    return _checked(shape, None)


def _rename_elsewhere(old: str, new: str, own: int) -> None:
    """Follows a renamed role into the conditions of the others that ask whether it is held."""
    for other in Role.objects.filter(deleted=False).exclude(pk=own):
        shape = from_document(RoleShape, other.document)
        document = to_plain(renamed(shape, old, new))
        document.pop("assigned", None)
        if document != to_plain(shape):
            other.document, other.version = document, other.version + 1
            other.save()


class RoleUses(APIView):
    """Administrators: where a role of the draft is named."""

    @extend_schema(responses=RoleUsesAnswer)
    def get(self, request: Request, name: str) -> Response:
        _role(name)
        return answer(RoleUsesAnswer(uses=uses_of_role(evaluator("draft").bundle, name)))


class RestoredRole(APIView):
    """Administrators: take back the deletion of a role."""

    @extend_schema(request=None, responses=RoleEntry)
    def post(self, request: Request, name: str) -> Response:
        with transaction.atomic():
            role = Role.objects.filter(name=name, deleted=True).first()
            if role is None:
                raise missing("deleted role", name)
            role.deleted = False
            role.version += 1
            role.save()
            policy_changed()
            record(request.user.login, "restore role", name)
        return answer(role_entry(role))


class Assignments(APIView):
    """Administrators: map a role to users, groups, everyone or a condition. Acts at once; `try=true` only shows the effect."""

    @extend_schema(request=AssignmentsRequest, responses=MappingAnswer, parameters=[OpenApiParameter("try", bool)])
    def post(self, request: Request, name: str) -> Response:
        asked = read_body(request, AssignmentsRequest)
        role = _role(name)
        present = [assignment_document(assignment) for assignment in role.assignments.select_related("account", "group")]
        for shape in asked.add:
            if to_plain(shape) in present:
                raise Failure(422, "invalid", "This is mapped already.")
        self._check(role, asked.add)

        def add() -> None:
            for shape in asked.add:
                add_assignment(role, shape, request.user)

        viewers = tried(add)
        if request.query_params.get("try") != "true":
            made(add)
            record(request.user.login, "map role", name, added=[to_plain(shape) for shape in asked.add])
        return answer(MappingAnswer(viewers=viewers, reached=_reached_by(name, asked.add)))

    def _check(self, role: Role, added: list[AssignmentShape]) -> None:
        """Raises Failure where a condition cannot be used."""
        base = evaluator("draft")
        shape = from_document(RoleShape, role.document).model_copy(update={"assigned": added})
        try:
            evaluator_with(base, [shape])
        except BundleError as error:
            raise Failure(422, "invalid", error.problems[0].message, error.problems) from None


def _reached_by(name: str, added: list[AssignmentShape]) -> list[str]:
    """The logins some of the assignments reach on the draft's day (5.2)."""
    base = evaluator("draft")
    role = base.roles[name].role
    paths = base.people.assignment_path
    return [viewer.login or "" for viewer in base.everyone() if any(paths(role, item, viewer, base.as_of) is not None for item in added)]


def add_assignment(role: Role, shape: AssignmentShape, by: Account) -> None:
    account = Account.objects.filter(login=shape.user).first() if shape.user else None
    group = Group.objects.filter(name=shape.group).first() if shape.group else None
    if shape.user and account is None:
        raise missing("user", shape.user)
    if shape.group and group is None:
        raise missing("group", shape.group)
    Assignment.objects.create(
        role=role,
        account=account,
        group=group,
        everyone=bool(shape.everyone),
        when=shape.when or "",
        first_day=shape.from_,
        last_day=shape.until,
        reason=shape.reason or "",
        created_by=by,
    )


class OneAssignment(APIView):
    """Administrators: take an assignment away, at once; `try=true` only shows the effect."""

    @extend_schema(request=None, responses={200: ImpactAnswer}, parameters=[OpenApiParameter("try", bool)])
    def delete(self, request: Request, name: str, key: int) -> Response:
        role = _role(name)
        assignment = role.assignments.select_related("account", "group").filter(pk=key).first()
        if assignment is None:
            raise missing("assignment", str(key))
        document = assignment_document(assignment)

        def remove() -> None:
            Assignment.objects.filter(pk=key).delete()

        viewers = tried(remove)
        if request.query_params.get("try") != "true":
            made(remove)
            record(request.user.login, "unmap role", name, removed=document)
        return answer(ImpactAnswer(viewers=viewers))
