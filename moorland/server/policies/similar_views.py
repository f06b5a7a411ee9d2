"""Many roles that differ in one value: the one dynamic role in their place, and replacing them by it."""

from functools import lru_cache

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.writing import to_plain
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.similar import Suggestion, new_attribute, suggestions
from moorland.server.changes import recorded
from moorland.server.directory.models import Account, AttributeDefinition, Group
from moorland.server.duties.permission import over_everything, request_rights
from moorland.server.duties.rights import outside
from moorland.server.errors import Failure, answer, read_body
from moorland.server.evaluating import evaluator
from moorland.server.policies.assignments import add_assignment
from moorland.server.policies.models import Role
from moorland.server.policies.roles import role_document, role_entry, take_out
from moorland.server.policies.shapes import ReplaceRequest, RoleEntry, SimilarAnswer
from moorland.server.requests import account_of


@lru_cache(maxsize=2)
def suggested(base: Evaluator) -> list[Suggestion]:
    """The suggestions of an evaluator, which never changes."""
    return suggestions(base)


class Similar(APIView):
    """By duty: roles of the draft that differ in one value, with the role that changes nothing for anybody."""

    needs = {"GET": over_everything("roles")}

    @extend_schema(responses=SimilarAnswer)
    def get(self, request: Request) -> Response:
        return answer(SimilarAnswer(suggestions=suggested(evaluator("draft"))))


class Replacing(APIView):
    """By duty: write the suggested role into the draft in place of the others. Values of a new attribute are set at once; no live role reads it."""

    needs = {"POST": over_everything("roles")}

    @extend_schema(request=ReplaceRequest, responses={201: RoleEntry})
    def post(self, request: Request) -> Response:
        asked = read_body(request, ReplaceRequest)
        if not all(request_rights(request).whole(act) for act in ("map", "people")):
            raise outside("Replacing roles maps people and sets their values: it needs roles, map and people over everything.")
        found = next((item for item in suggested(evaluator("draft")) if {role.name for role in item.roles} == set(asked.roles)), None)
        if found is None:
            raise Failure(409, "stale", "These roles, or the people who hold them, changed since they were compared. Look at the suggestion again.")
        with recorded(account_of(request), "replace roles", found.role.name, "policy", "people") as change:
            change.details = {"replaced": sorted(asked.roles), "attribute": found.attribute}
            if found.new:
                _set_values(found)
            made = _write(found, account_of(request))
            change.after = made.document
        return answer(role_entry(made), 201)


def _set_values(found: Suggestion) -> None:
    """Makes the new attribute and sets its values where the roles are assigned."""
    AttributeDefinition.appended(found.attribute, to_plain(new_attribute(found.attribute, found.type)))
    for item in found.new_values:
        if item.group:
            group = Group.objects.get(name=item.group)
            group.attributes = {**group.attributes, found.attribute: item.values}
            group.moved()
        else:
            account = Account.objects.get(login=item.user)
            account.attributes = {**account.attributes, found.attribute: item.values}
            account.moved()


def _write(found: Suggestion, by: Account) -> Role:
    """The role with the assignments of those it replaces, which are deleted in the draft."""
    made = Role.appended(found.role.name, role_document(found.role))
    for assignment in found.role.assigned:
        add_assignment(made, assignment, by)
    take_out(Role.objects.filter(name__in=[item.name for item in found.roles]))
    return made
