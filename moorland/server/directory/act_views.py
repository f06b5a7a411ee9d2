"""Changes to people, groups, organizations and attributes, each with its gain and loss; people from files; one-time links."""

import re
from typing import Any

from django.contrib.auth import login
from django.http import HttpResponse
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import csrf_protect
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.duties import ActName
from moorland.core.bundle.problems import BundleError
from moorland.core.bundle.structure import identity
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.impacts import shared
from moorland.server.access.rules import refuse_way, rules_of
from moorland.server.access.sessions import begin
from moorland.server.changes import recorded
from moorland.server.directory.accounts import account_named
from moorland.server.directory.act_shapes import (
    Act,
    CopyAnswer,
    FirstPassword,
    Forgotten,
    InvitationAnswer,
    InvitationsAnswer,
    InvitationsRequest,
    InvitedPerson,
    OwnsAnswer,
    PlaceCard,
    SetUp,
)
from moorland.server.directory.acting import perform
from moorland.server.directory.copying import copy_items, owned_things
from moorland.server.directory.invitations import first_password, forgotten, invite, mailed, may_be_mailed, set_up
from moorland.server.directory.knowing import knows_group, knows_organization, knows_person
from moorland.server.directory.models import Account, Group, Organization
from moorland.server.directory.people_files import ImportReport, PeopleImport, exported, report_of, run
from moorland.server.directory.people_rows import RowReport
from moorland.server.directory.secret_values import secret_attributes
from moorland.server.directory.service import still_as_judged, tried
from moorland.server.directory.sessions import session_answer
from moorland.server.directory.shapes import ImpactAnswer, SessionAnswer
from moorland.server.directory.throttling import address_of, refuse_forgotten
from moorland.server.duties.judging import may_take_over
from moorland.server.duties.permission import ANYBODY, LOOKERS, over_everything, request_rights, within
from moorland.server.duties.rights import Rights, outside
from moorland.server.errors import Failure, answer, missing, read_body
from moorland.server.evaluating import evaluator
from moorland.server.requests import TRY, account_of, only_tried
from moorland.server.trail.models import record


class Acts(APIView):
    """By duty: change people, groups, organizations or attributes, at once; `try=true` only shows who gains and loses."""

    needs = {"POST": within("people")}

    @extend_schema(request=Act, responses=ImpactAnswer, parameters=[TRY])
    def post(self, request: Request) -> Response:
        asked = read_body(request, Act)
        found = perform(asked, account_of(request), only_tried(request))
        return answer(ImpactAnswer(viewers=shared(found.viewers), broken=found.broken))


def _in_scope(request: Request, login: str, act: ActName) -> None:
    """Raises Failure (404) where somebody is not among the people an act reaches: outside of it nobody exists."""
    base, rights = evaluator("live"), request_rights(request)
    if login not in base.people.users or not rights.reaches(act, person=base.viewer(login)):
        raise missing("user", login)


class Copying(APIView):
    """By duty: what of somebody's access can be copied to somebody else."""

    needs = {"GET": within("people")}

    @extend_schema(responses=CopyAnswer)
    def get(self, request: Request, login: str) -> Response:
        _in_scope(request, login, "people")
        found, rights = copy_items(evaluator("draft"), account_named(login)), request_rights(request)
        items = [item for item in found.items if item.kind != "attribute" or rights.reaches("people", attribute=item.name)]
        return answer(found.model_copy(update={"items": items}))


class Owns(APIView):
    """By duty: what hangs on somebody, before the account is deleted."""

    needs = {"GET": within("people")}

    @extend_schema(responses=OwnsAnswer)
    def get(self, request: Request, login: str) -> Response:
        _in_scope(request, login, "people")
        found = owned_things(account_named(login))
        if not request_rights(request).whole("look-values"):
            found = found.model_copy(update={"things": [item for item in found.things if item.kind != "line"]})
        return answer(found)


class Invitations(APIView):
    """By duty: a one-time link by which somebody sets a password; it is shown this one time."""

    needs = {"POST": within("links")}

    @extend_schema(request=None, responses={201: InvitationAnswer})
    def post(self, request: Request, login: str) -> Response:
        _in_scope(request, login, "links")
        account, rights = account_named(login), request_rights(request)
        if not rights.keeps_all and not may_take_over(rights, account, [evaluator("live"), evaluator("draft")]):
            raise outside(f"{account.name} holds more than you could give. Somebody who could give all of it has to make this link.")
        with recorded(account_of(request), "invite", login):
            made_link = invite(account)
        return answer(made_link, 201)


class ManyInvitations(APIView):
    """Who makes links: for many at once, as a list to hand out or by mail; whoever holds more than could be given gets theirs by mail only."""

    needs = {"POST": within("links")}

    @extend_schema(request=InvitationsRequest, responses={201: InvitationsAnswer})
    def post(self, request: Request) -> Response:
        asked, rights, base = read_body(request, InvitationsRequest), request_rights(request), evaluator("live")
        accounts = {account.login: account for account in Account.objects.filter(login__in=asked.logins)}
        for name in asked.logins:
            if name not in accounts or name not in base.people.users or not rights.reaches("links", person=base.viewer(name)):
                raise missing("user", name)
        states = [base, evaluator("draft")]
        with recorded(account_of(request), "invite", f"{len(asked.logins)} people") as change:
            told = [_invited(accounts[name], asked.mail, rights.keeps_all or may_take_over(rights, accounts[name], states)) for name in asked.logins]
            change.details = {"logins": [item.login for item in told if item.refused is None][:1_000]}
        address = request.build_absolute_uri("/")
        return answer(InvitationsAnswer(people=[_sent(accounts[item.login], item, address) for item in told]), 201)


def _sent(account: Account, person: InvitedPerson, address: str) -> InvitedPerson:
    """Sends a link that is to go by mail, and takes it out of what is shown."""
    if person.mailed_to is None:
        return person
    made = InvitationAnswer(path=person.path or "", expires_at=person.expires_at or "")
    if mailed(account, made, address):
        return person.model_copy(update={"path": None})
    return person.model_copy(update={"path": None, "mailed_to": None, "refused": "the mail could not be sent"})


def _invited(account: Account, by_mail: bool, may_be_shown: bool) -> InvitedPerson:
    """A link for one of many; not yet sent where it is to go by mail."""
    person = InvitedPerson(login=account.login, name=account.name)
    if by_mail and may_be_mailed(account):
        made = invite(account)
        return person.model_copy(update={"path": made.path, "expires_at": made.expires_at, "mailed_to": account.email})
    if not may_be_shown:
        return person.model_copy(update={"refused": "holds more than you could give; a link goes to their own mail only, unchanged for seven days"})
    try:
        made = invite(account)
    except Failure as failure:
        return person.model_copy(update={"refused": failure.message})
    return person.model_copy(update={"path": made.path, "expires_at": made.expires_at})


@method_decorator(csrf_protect, name="dispatch")
class ForgottenPassword(APIView):
    """Anybody: a link to the account's own mail, where mail is set up; the answer is the same for every login."""

    needs = {"POST": ANYBODY}

    @extend_schema(request=Forgotten, responses={202: None})
    def post(self, request: Request) -> Response:
        asked = read_body(request, Forgotten)
        refuse_forgotten(address_of(request._request))
        forgotten(asked.login, request.build_absolute_uri("/"))
        return Response(status=202)


@method_decorator(csrf_protect, name="dispatch")
class Welcome(APIView):
    """Anybody with a one-time link: set a password and be signed in."""

    needs = {"POST": ANYBODY}

    @extend_schema(request=FirstPassword, responses=SessionAnswer)
    def post(self, request: Request) -> Response:
        return _signed_in(request, first_password(read_body(request, FirstPassword)))


@method_decorator(csrf_protect, name="dispatch")
class SettingUp(APIView):
    """Anybody with the link the server printed, while there is no workspace: make it, with its first administrator."""

    needs = {"POST": ANYBODY}

    @extend_schema(request=SetUp, responses=SessionAnswer)
    def post(self, request: Request) -> Response:
        return _signed_in(request, set_up(read_body(request, SetUp)))


def _signed_in(request: Request, account: Account) -> Response:
    refuse_way(account, "password")
    login(request._request, account, backend="moorland.server.directory.sign_in.LoginBackend")
    begin(request._request, account, rules_of(account))
    return answer(session_answer(account, request._request))


class PeopleFiles(APIView):
    """By duty: people or groups from a file; `try=true` reports every row and changes nothing. A file with refused rows is applied only without them."""

    needs = {"POST": within("people")}

    @extend_schema(request=PeopleImport, responses=ImportReport, parameters=[TRY])
    def post(self, request: Request) -> Response:
        asked = read_body(request, PeopleImport)
        rows: list[RowReport] = []
        unknown_groups: list[str] = []

        def bring() -> None:
            rows[:], unknown_groups[:] = run(asked)

        if asked.kind == "groups" and not request_rights(request).whole("people"):
            raise outside("Groups are brought in by who keeps all people.")
        try:
            found = tried(bring, account_of(request))
            _refuse_unknown_rows(request, rows)
            if not only_tried(request):
                refused = sum(row.outcome == "refused" for row in rows)
                if refused and not asked.leave_out_refused:
                    raise Failure(422, "refused", f"{refused} rows are refused, so nothing was changed. Mend the file, or bring the others without them.")
                with recorded(account_of(request), f"import {asked.kind}", f"{len(rows)} rows", "people") as change:
                    bring()
                    still_as_judged(found)
                    change.details = {**_counts(rows)}
        except BundleError as error:
            raise Failure(422, "invalid", error.problems[0].sentence(), error.problems) from None
        return answer(report_of(rows, unknown_groups, shared(found.viewers)))


#: What is near to a name that is not here may name what the account does not know of.
_NEAR = re.compile(r"; nearest: [^;]*", re.IGNORECASE)


def _refuse_unknown_rows(request: Request, rows: list[RowReport]) -> None:
    """Raises Failure (404) where a file names somebody outside of the scope, even where it would change nothing of them: that tells what they are."""
    base, rights = evaluator("live"), request_rights(request)
    if rights.whole("people"):
        return
    logins = {identity(login): login for login in base.people.users}
    for place, row in enumerate(rows):
        known = logins.get(identity(row.name))
        if known is not None and not rights.reaches("people", person=base.viewer(known)):
            raise missing("user", row.name)
        if row.why is not None and (" belongs to " in row.why or " is taken by " in row.why):
            rows[place] = row.model_copy(update={"why": "The login or e-mail is taken here already."})
        elif row.why is not None:
            rows[place] = row.model_copy(update={"why": _NEAR.sub("", row.why).removesuffix(".") + "."})


def _counts(rows: list[RowReport]) -> dict[str, int]:
    return {outcome: sum(row.outcome == outcome for row in rows) for outcome in ("created", "changed", "refused")}


class PeopleExport(APIView):
    """By duty: all people, or all groups, as CSV without passwords and secret attributes."""

    needs = {"GET": over_everything("people")}

    @extend_schema(responses={(200, "text/csv"): OpenApiTypes.STR}, parameters=[OpenApiParameter("kind", str, enum=["people", "groups"])])
    def get(self, request: Request) -> HttpResponse:
        kind = "groups" if request.query_params.get("kind") == "groups" else "people"
        record(account_of(request).login, "export", kind)
        response = HttpResponse(exported("groups" if kind == "groups" else "people"), content_type="text/csv; charset=utf-8")
        response["Content-Disposition"] = f'attachment; filename="{kind}.csv"'
        return response


class GroupCards(APIView):
    """By duty: all that is kept of a group, and what it gives."""

    needs = {"GET": LOOKERS}

    @extend_schema(responses=PlaceCard)
    def get(self, request: Request, name: str) -> Response:
        group = Group.objects.prefetch_related("users", "groups", "inside").filter(name=name).first()
        if group is None:
            raise missing("group", name)
        base, rights = evaluator("draft"), request_rights(request)
        if not knows_group(rights, name, base.people):
            raise missing("group", name)
        known = _known(base, rights)
        roles = [role.role.title for role in base.roles.values() if any(item.group == name for item in role.role.assigned)]
        reached = sum(name in viewer.groups for viewer in base.everyone() if viewer.login in known)
        return answer(
            _place(
                group,
                rights,
                priority=group.priority,
                enabled=group.enabled,
                parents=sorted(item.name for item in group.inside.all()),
                groups=sorted(item.name for item in group.groups.all()),
                users=sorted(item.login for item in group.users.all() if item.login in known),
                roles=roles,
                reached=reached,
            )
        )


class OrganizationCards(APIView):
    """By duty: all that is kept of an organization."""

    needs = {"GET": LOOKERS}

    @extend_schema(responses=PlaceCard)
    def get(self, request: Request, name: str) -> Response:
        found = Organization.objects.filter(name=name).first()
        if found is None:
            raise missing("organization", name)
        base, rights = evaluator("draft"), request_rights(request)
        if not knows_organization(rights, name, base.people):
            raise missing("organization", name)
        known = _known(base, rights)
        reached = sum(name in viewer.organizations for viewer in base.everyone() if viewer.login in known)
        parents = [found.parent.name] if found.parent else []
        below = sorted(item.name for item in found.children.all())
        users = sorted(login for login in found.accounts.values_list("login", flat=True) if login in known)
        return answer(_place(found, rights, priority=None, enabled=True, parents=parents, groups=below, users=users, roles=[], reached=reached))


def _known(base: Evaluator, rights: Rights) -> set[str]:
    """The logins of everybody who exists for an account."""
    return {viewer.login or "" for viewer in base.everyone() if knows_person(rights, viewer)}


def _place(stored: Group | Organization, rights: Rights, **more: Any) -> PlaceCard:
    secret, values = secret_attributes(), rights.whole("look-values")
    return PlaceCard.model_validate(
        {
            "name": stored.name,
            "label": stored.label or stored.name,
            "about": stored.about,
            "keeper": stored.keeper,
            "version": stored.version,
            "attributes": {
                name: value for name, value in stored.attributes.items() if name not in secret and (values or rights.reaches("people", attribute=name))
            },
            **more,
        }
    )
