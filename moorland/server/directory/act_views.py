"""Changes to people, groups, organizations and attributes, each with its gain and loss; people from files; one-time links."""

from typing import Any

from django.contrib.auth import login
from django.http import HttpResponse
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import csrf_protect
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.problems import BundleError
from moorland.core.insight.impact import ViewerImpact
from moorland.server.changes import recorded
from moorland.server.directory.accounts import account_named
from moorland.server.directory.act_shapes import Act, CopyAnswer, FirstPassword, InvitationAnswer, OwnsAnswer, PlaceCard, SetUp
from moorland.server.directory.acting import perform
from moorland.server.directory.copying import copy_items, owned_things
from moorland.server.directory.invitations import first_password, invite, set_up
from moorland.server.directory.models import Account, Group, Organization
from moorland.server.directory.people_files import ImportReport, PeopleImport, RowReport, exported, report_of, run
from moorland.server.directory.secret_values import secret_attributes
from moorland.server.directory.service import still_evaluates, tried
from moorland.server.directory.sessions import session_answer
from moorland.server.directory.shapes import ImpactAnswer, SessionAnswer
from moorland.server.errors import Failure, answer, missing, read_body
from moorland.server.evaluating import evaluator
from moorland.server.requests import TRY, account_of, only_tried
from moorland.server.trail.models import record


class Acts(APIView):
    """Administrators: change people, groups, organizations or attributes, at once; `try=true` only shows who gains and loses."""

    @extend_schema(request=Act, responses=ImpactAnswer, parameters=[TRY])
    def post(self, request: Request) -> Response:
        asked = read_body(request, Act)
        return answer(ImpactAnswer(viewers=perform(asked, account_of(request), only_tried(request))))


class Copying(APIView):
    """Administrators: what of somebody's access can be copied to somebody else."""

    @extend_schema(responses=CopyAnswer)
    def get(self, request: Request, login: str) -> Response:
        return answer(copy_items(evaluator("draft"), account_named(login)))


class Owns(APIView):
    """Administrators: what hangs on somebody, before the account is deleted."""

    @extend_schema(responses=OwnsAnswer)
    def get(self, request: Request, login: str) -> Response:
        return answer(owned_things(account_named(login)))


class Invitations(APIView):
    """Administrators: a one-time link by which somebody sets a password; it is shown this one time."""

    @extend_schema(request=None, responses={201: InvitationAnswer})
    def post(self, request: Request, login: str) -> Response:
        with recorded(account_of(request), "invite", login):
            made_link = invite(account_named(login))
        return answer(made_link, 201)


@method_decorator(csrf_protect, name="dispatch")
class Welcome(APIView):
    """Anybody with a one-time link: set a password and be signed in."""

    permission_classes = [AllowAny]

    @extend_schema(request=FirstPassword, responses=SessionAnswer)
    def post(self, request: Request) -> Response:
        return _signed_in(request, first_password(read_body(request, FirstPassword)))


@method_decorator(csrf_protect, name="dispatch")
class SettingUp(APIView):
    """Anybody with the link the server printed, while there is no workspace: make it, with its first administrator."""

    permission_classes = [AllowAny]

    @extend_schema(request=SetUp, responses=SessionAnswer)
    def post(self, request: Request) -> Response:
        return _signed_in(request, set_up(read_body(request, SetUp)))


def _signed_in(request: Request, account: Account) -> Response:
    login(request._request, account, backend="moorland.server.directory.sign_in.LoginBackend")
    return answer(session_answer(account))


class PeopleFiles(APIView):
    """Administrators: people or groups from a file; `try=true` reports every row and changes nothing. A file with refused rows is applied only without them."""

    @extend_schema(request=PeopleImport, responses=ImportReport, parameters=[TRY])
    def post(self, request: Request) -> Response:
        asked = read_body(request, PeopleImport)
        rows: list[RowReport] = []
        unknown_groups: list[str] = []

        def bring() -> None:
            rows[:], unknown_groups[:] = run(asked)

        viewers: list[ViewerImpact] = []
        try:
            viewers = tried(bring)
            if not only_tried(request):
                refused = sum(row.outcome == "refused" for row in rows)
                if refused and not asked.leave_out_refused:
                    raise Failure(422, "refused", f"{refused} rows are refused, so nothing was changed. Mend the file, or bring the others without them.")
                with recorded(account_of(request), f"import {asked.kind}", f"{len(rows)} rows", "people") as change:
                    bring()
                    still_evaluates()
                    change.details = {**_counts(rows)}
        except BundleError as error:
            raise Failure(422, "invalid", error.problems[0].sentence(), error.problems) from None
        return answer(report_of(rows, unknown_groups, viewers))


def _counts(rows: list[RowReport]) -> dict[str, int]:
    return {outcome: sum(row.outcome == outcome for row in rows) for outcome in ("created", "changed", "refused")}


class PeopleExport(APIView):
    """Administrators: all people, or all groups, as CSV without passwords and secret attributes."""

    @extend_schema(responses={(200, "text/csv"): OpenApiTypes.STR}, parameters=[OpenApiParameter("kind", str, enum=["people", "groups"])])
    def get(self, request: Request) -> HttpResponse:
        kind = "groups" if request.query_params.get("kind") == "groups" else "people"
        record(account_of(request).login, "export", kind)
        response = HttpResponse(exported("groups" if kind == "groups" else "people"), content_type="text/csv; charset=utf-8")
        response["Content-Disposition"] = f'attachment; filename="{kind}.csv"'
        return response


class GroupCards(APIView):
    """Administrators: all that is kept of a group, and what it gives."""

    @extend_schema(responses=PlaceCard)
    def get(self, request: Request, name: str) -> Response:
        group = Group.objects.prefetch_related("users", "groups", "inside").filter(name=name).first()
        if group is None:
            raise missing("group", name)
        base = evaluator("draft")
        roles = [role.role.title for role in base.roles.values() if any(item.group == name for item in role.role.assigned)]
        reached = sum(name in viewer.groups for viewer in base.everyone())
        return answer(
            _place(
                group,
                priority=group.priority,
                enabled=group.enabled,
                parents=sorted(item.name for item in group.inside.all()),
                groups=sorted(item.name for item in group.groups.all()),
                users=sorted(item.login for item in group.users.all()),
                roles=roles,
                reached=reached,
            )
        )


class OrganizationCards(APIView):
    """Administrators: all that is kept of an organization."""

    @extend_schema(responses=PlaceCard)
    def get(self, request: Request, name: str) -> Response:
        found = Organization.objects.filter(name=name).first()
        if found is None:
            raise missing("organization", name)
        reached = sum(name in viewer.organizations for viewer in evaluator("draft").everyone())
        parents = [found.parent.name] if found.parent else []
        below = sorted(item.name for item in found.children.all())
        users = sorted(found.accounts.values_list("login", flat=True))
        return answer(_place(found, priority=None, enabled=True, parents=parents, groups=below, users=users, roles=[], reached=reached))


def _place(stored: Group | Organization, **more: Any) -> PlaceCard:
    secret = secret_attributes()
    return PlaceCard.model_validate(
        {
            "name": stored.name,
            "label": stored.label or stored.name,
            "about": stored.about,
            "keeper": stored.keeper,
            "version": stored.version,
            "attributes": {name: value for name, value in stored.attributes.items() if name not in secret},
            **more,
        }
    )
