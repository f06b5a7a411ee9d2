"""Many roles that differ in one value: the one dynamic role in their place, and replacing them by it."""

from functools import lru_cache

from django.db import transaction
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.writing import to_plain
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.similar import Suggestion, new_attribute, suggestions
from moorland.server.directory.models import Account, AttributeDefinition, Group
from moorland.server.errors import Failure, answer, read_body
from moorland.server.policies.models import Role
from moorland.server.policies.shapes import ReplaceRequest, RoleEntry, SimilarAnswer
from moorland.server.policies.views import add_assignment, role_entry
from moorland.server.state import evaluator, live_release, people_changed, policy_changed
from moorland.server.trail.models import record


@lru_cache(maxsize=2)
def suggested(base: Evaluator) -> list[Suggestion]:
    """The suggestions of an evaluator, which never changes."""
    return suggestions(base)


class Similar(APIView):
    """Administrators: roles of the draft that differ in one value, with the role that changes nothing for anybody."""

    @extend_schema(responses=SimilarAnswer)
    def get(self, request: Request) -> Response:
        return answer(SimilarAnswer(suggestions=suggested(evaluator("draft"))))


class Replacing(APIView):
    """Administrators: write the suggested role into the draft in place of the others. Values of a new attribute are set at once; no live role reads it."""

    @extend_schema(request=ReplaceRequest, responses={201: RoleEntry})
    def post(self, request: Request) -> Response:
        asked = read_body(request, ReplaceRequest)
        found = next((item for item in suggested(evaluator("draft")) if {role.name for role in item.roles} == set(asked.roles)), None)
        if found is None:
            raise Failure(409, "stale", "These roles, or the people who hold them, changed since they were compared. Look at the suggestion again.")
        with transaction.atomic():
            if found.new:
                _set_values(found)
            made = _write(found, request.user)
            policy_changed()
            people_changed()
            record(request.user.login, "replace roles", made.name, replaced=sorted(asked.roles), attribute=found.attribute)
        return answer(role_entry(made), 201)


def _set_values(found: Suggestion) -> None:
    """Makes the new attribute and sets its values where the roles are assigned."""
    AttributeDefinition.objects.create(name=found.attribute, document=to_plain(new_attribute(found.attribute, found.type)))
    for item in found.new_values:
        if item.group:
            group = Group.objects.get(name=item.group)
            group.attributes = {**group.attributes, found.attribute: item.values}
            group.save(update_fields=["attributes"])
        else:
            account = Account.objects.get(login=item.user)
            account.attributes, account.version = {**account.attributes, found.attribute: item.values}, account.version + 1
            account.save(update_fields=["attributes", "version"])


def _write(found: Suggestion, by: Account) -> Role:
    """The role with the assignments of those it replaces, which are deleted in the draft."""
    document = to_plain(found.role)
    document.pop("assigned", None)
    last = Role.objects.order_by("-position").first()
    made = Role.objects.create(name=found.role.name, document=document, position=last.position + 1 if last else 0)
    for assignment in found.role.assigned:
        add_assignment(made, assignment, by)
    release = live_release()
    live = set(release.role_ids.values()) if release else set()
    for role in Role.objects.filter(name__in=[item.name for item in found.roles]):
        if role.pk in live:
            role.deleted, role.version = True, role.version + 1
            role.save()
        else:
            role.delete()
    return made
