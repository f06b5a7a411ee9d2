"""Roles of the draft: write, save, delete, restore; assignments, which act at once."""

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.policy import Role as RoleShape
from moorland.core.bundle.writing import to_plain
from moorland.core.insight.impacts import shared
from moorland.core.insight.uses import uses_of_role
from moorland.server.changes import expect_version, recorded
from moorland.server.directory.knowing import knows_person
from moorland.server.directory.service import holders_of, still_as_judged, tried
from moorland.server.directory.shapes import ImpactAnswer
from moorland.server.duties.permission import READERS, request_rights, within
from moorland.server.errors import answer, from_document, missing, read_body
from moorland.server.evaluating import evaluator
from moorland.server.policies.assignments import add_assignment, assignment_document
from moorland.server.policies.models import Role
from moorland.server.policies.roles import (
    check_assignments,
    checked_role,
    known_of,
    reached_by,
    rename_elsewhere,
    role_entries,
    role_entry,
    stored_role,
    take_out,
)
from moorland.server.policies.scope import known_logins, refuse_renaming, refuse_role, told_holders, told_role
from moorland.server.policies.shapes import AssignmentsRequest, DeletedRole, HoldersAnswer, MappingAnswer, RoleEntry, RolesAnswer, RoleSave, RoleUsesAnswer
from moorland.server.requests import TRY, VERSION, account_of, only_tried, version_of
from moorland.server.viewing.knowing import may_know_role


class Roles(APIView):
    """By duty: all roles of the draft; a new role."""

    needs = {"GET": READERS, "POST": within("roles")}

    @extend_schema(responses=RolesAnswer)
    def get(self, request: Request) -> Response:
        rights = request_rights(request)
        stored = [role for role in Role.objects.all() if may_know_role(rights, from_document(RoleShape, role.document))]
        deleted = [DeletedRole(name=role.name, label=role.document.get("label") or role.name) for role in stored if role.deleted]
        known = known_logins(rights)
        return answer(
            RolesAnswer(
                roles=[told_role(entry, rights, known) for entry in role_entries((role for role in stored if not role.deleted), known)], deleted=deleted
            )
        )

    @extend_schema(request=RoleSave, responses={201: RoleEntry})
    def post(self, request: Request) -> Response:
        asked = read_body(request, RoleSave)
        refuse_role(request_rights(request), asked.role)
        with recorded(account_of(request), "add role", asked.role.name, "policy") as change:
            change.after = checked_role(asked.role, None)
            role = Role.appended(asked.role.name, change.after)
        return answer(role_entry(role), 201)


class OneRole(APIView):
    """By duty: save, rename or delete a role of the draft; stale saves are refused."""

    needs = {"PUT": within("roles"), "DELETE": within("roles")}

    @extend_schema(request=RoleSave, responses=RoleEntry)
    def put(self, request: Request, name: str) -> Response:
        asked = read_body(request, RoleSave)
        with recorded(account_of(request), "change role", name, "policy") as change:
            role = known_role(request, name)
            refuse_role(request_rights(request), asked.role)
            expect_version(role, asked.version, f"the role {name}", lambda: role_entry(role).model_dump(mode="json", by_alias=True))
            change.before, change.after = role.document, checked_role(asked.role, name)
            if change.before == change.after:
                change.nothing()
            else:
                if asked.role.name != name:
                    refuse_renaming(request_rights(request), name)
                    rename_elsewhere(name, asked.role.name, role.pk)
                role.name = asked.role.name
                role.rewritten(change.after)
        return answer(role_entry(role))

    @extend_schema(request=None, responses={204: None}, parameters=[VERSION])
    def delete(self, request: Request, name: str) -> Response:
        with recorded(account_of(request), "delete role", name, "policy") as change:
            role = known_role(request, name)
            expect_version(role, version_of(request), f"the role {name}", lambda: role_entry(role).model_dump(mode="json", by_alias=True))
            change.before = role.document
            take_out([role])
        return Response(status=204)


class RoleUses(APIView):
    """By duty: where a role of the draft is named."""

    needs = {"GET": READERS}

    @extend_schema(responses=RoleUsesAnswer)
    def get(self, request: Request, name: str) -> Response:
        rights, role = request_rights(request), stored_role(name)
        if not may_know_role(rights, from_document(RoleShape, role.document)):
            raise missing("role", name)
        return answer(RoleUsesAnswer(uses=uses_of_role(evaluator("draft").bundle, name)))


class RoleHolders(APIView):
    """By duty: who holds a role of the draft, as far as whoever asks knows them."""

    needs = {"GET": READERS}

    @extend_schema(responses=HoldersAnswer)
    def get(self, request: Request, name: str) -> Response:
        rights, role = request_rights(request), from_document(RoleShape, stored_role(name).document)
        if not may_know_role(rights, role):
            raise missing("role", name)
        holders = known_of(holders_of(evaluator("draft")).get(name, []), known_logins(rights))
        return answer(HoldersAnswer(holders=told_holders(holders, rights, role)))


class RestoredRole(APIView):
    """By duty: take back the deletion of a role."""

    needs = {"POST": within("roles")}

    @extend_schema(request=None, responses=RoleEntry)
    def post(self, request: Request, name: str) -> Response:
        with recorded(account_of(request), "restore role", name, "policy") as change:
            role = Role.objects.filter(name=name, deleted=True).first()
            if role is None:
                raise missing("deleted role", name)
            refuse_role(request_rights(request), from_document(RoleShape, role.document))
            role.deleted = False
            role.moved()
            change.after = role.document
        return answer(role_entry(role))


def known_role(request: Request, name: str) -> Role:
    """A role of the draft that may be written. Raises Failure: 404 where it does not exist for whoever asks, 403 where it is not theirs to write."""
    role, rights = stored_role(name), request_rights(request)
    shape = from_document(RoleShape, role.document)
    if not may_know_role(rights, shape):
        raise missing("role", name)
    refuse_role(rights, shape)
    return role


def _mapped_role(request: Request, name: str) -> Role:
    """A role of the draft that may be mapped. Raises Failure (404)."""
    role = stored_role(name)
    if not request_rights(request).reaches("map", role=name):
        raise missing("role", name)
    return role


def _known(request: Request, logins: list[str]) -> list[str]:
    """Those of some people who exist for whoever asks."""
    base, rights = evaluator("draft"), request_rights(request)
    return [login for login in logins if knows_person(rights, base.viewer(login))]


class Assignments(APIView):
    """By duty: map a role to users, groups, everyone or a condition. Acts at once; `try=true` only shows the effect."""

    needs = {"POST": within("map")}

    @extend_schema(request=AssignmentsRequest, responses=MappingAnswer, parameters=[TRY])
    def post(self, request: Request, name: str) -> Response:
        asked, account = read_body(request, AssignmentsRequest), account_of(request)
        role = _mapped_role(request, name)
        check_assignments(role, asked.add)

        def add() -> None:
            for shape in asked.add:
                add_assignment(role, shape, account)

        found = tried(add, account)
        if not only_tried(request):
            with recorded(account, "map role", name, "people") as change:
                change.details["added"] = [to_plain(shape) for shape in asked.add]
                add()
                still_as_judged(found)
        return answer(MappingAnswer(viewers=shared(found.viewers), broken=found.broken, reached=_known(request, reached_by(name, asked.add))))


class OneAssignment(APIView):
    """By duty: take an assignment away, at once; `try=true` only shows the effect."""

    needs = {"DELETE": within("map")}

    @extend_schema(request=None, responses={200: ImpactAnswer}, parameters=[TRY])
    def delete(self, request: Request, name: str, key: int) -> Response:
        assignment = _mapped_role(request, name).assignments.select_related("account", "group").filter(pk=key).first()
        if assignment is None:
            raise missing("assignment", str(key))

        def remove() -> None:
            type(assignment).objects.filter(pk=key).delete()

        found = tried(remove, account_of(request))
        if not only_tried(request):
            with recorded(account_of(request), "unmap role", name, "people") as change:
                change.details["removed"] = assignment_document(assignment)
                remove()
                still_as_judged(found)
        return answer(ImpactAnswer(viewers=shared(found.viewers), broken=found.broken))
