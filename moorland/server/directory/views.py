"""The session, and people: who they are and what reaches them. Changes act at once."""

from collections.abc import Callable
from functools import lru_cache

from django.contrib.auth import authenticate, login, logout
from django.contrib.auth.signals import user_login_failed
from django.http import HttpResponse
from django.middleware.csrf import get_token
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import csrf_protect
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.duties import ACTS
from moorland.core.bundle.people import AttributeDefinition as AttributeShape
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.effect import share
from moorland.core.insight.holders import RolePath, paths_of
from moorland.core.insight.impacts import shared
from moorland.core.people import Viewer
from moorland.server.access.rules import refuse_way, rules, rules_of
from moorland.server.access.second_factor import is_asked, passes
from moorland.server.access.sessions import begin, end_all, seen
from moorland.server.changes import expect_version
from moorland.server.directory.accounts import account_named
from moorland.server.directory.act_shapes import Act, GoodBetween, PasswordChange, PeopleChange, SignInFlags
from moorland.server.directory.acting import perform
from moorland.server.directory.knowing import PLACED, knows_group, knows_organization, knows_person
from moorland.server.directory.models import Account, AttributeDefinition
from moorland.server.directory.passwords import change_password
from moorland.server.directory.sessions import session_answer
from moorland.server.directory.shapes import (
    AttributeCard,
    AttributeVersions,
    EffectiveGroup,
    GroupEntry,
    HeldAnswer,
    HeldRoleCard,
    ImpactAnswer,
    LadderRung,
    OrganizationEntry,
    PeopleAnswer,
    PersonCard,
    PersonChange,
    PersonEntry,
    SessionAnswer,
    SignInRequest,
)
from moorland.server.directory.throttling import address_of, refuse_floods
from moorland.server.duties.permission import ANY_DUTY, ANYBODY, LOOKERS, OWN_SESSION, request_rights, within
from moorland.server.duties.rights import Rights, rights_of
from moorland.server.errors import Failure, answer, missing, read_body
from moorland.server.evaluating import evaluator
from moorland.server.origins.locks import origin_of_account, signs_in_by
from moorland.server.requests import STATE_PARAMETER, TRY, account_of, only_tried, state_of
from moorland.server.trail.floods import record_refusal
from moorland.server.trail.models import record
from moorland.server.viewing.knowing import may_read_literals, without_path_literals
from moorland.server.viewing.looks import record_look
from moorland.server.viewing.role_use import last_used
from moorland.server.viewing.service import why_nothing


@method_decorator(csrf_protect, name="dispatch")
class Session(APIView):
    """Anybody: who is signed in; sign in; sign out."""

    needs = {"GET": ANYBODY, "POST": ANYBODY, "DELETE": ANYBODY}

    @extend_schema(responses=SessionAnswer)
    def get(self, request: Request) -> Response:
        get_token(request)
        account = _signed_in(request)
        if account is not None and not seen(request._request, rules()):
            logout(request._request)
            account = None
        return answer(session_answer(account, request._request))

    @extend_schema(request=SignInRequest, responses=SessionAnswer)
    def post(self, request: Request) -> Response:
        asked = read_body(request, SignInRequest)
        address = address_of(request._request)
        known = Account.objects.by_identity(asked.login)
        name = known.login if known else "somebody unknown"
        try:
            refuse_floods(request._request, asked.login)
        except Failure:
            record_refusal(name, "sign-in paused", "session", address)
            raise
        account = authenticate(request._request, login=asked.login, password=asked.password)
        if not isinstance(account, Account):
            record_refusal(name, "sign-in refused", "session", address)
            raise Failure(401, "signed_out", "Login and password do not match.")
        if is_asked(account):
            if not asked.code:
                raise Failure(401, "second_factor", "Enter the code of your second factor.")
            if not passes(account, asked.code):
                user_login_failed.send(Session, credentials={"login": asked.login}, request=request._request)
                record_refusal(name, "sign-in refused", "session", address)
                raise Failure(401, "wrong_code", "This code is not right, or was used already. Take the one that is shown now.")
        if account.has_usable_password():
            refuse_way(account, "password")
        login(request._request, account)
        begin(request._request, account, rules_of(account))
        record(account.login, "sign-in", "session")
        return answer(session_answer(account, request._request))

    @extend_schema(request=None, responses={200: SessionAnswer})
    def delete(self, request: Request) -> Response:
        account = _signed_in(request)
        if account is not None:
            record(account.login, "sign-out", "session")
        logout(request._request)
        return answer(session_answer(None))


class Password(APIView):
    """Anybody signed in: change one's own password. Other sessions of the account end."""

    needs = {"PUT": OWN_SESSION}
    while_limited = True

    @extend_schema(request=PasswordChange, responses=SessionAnswer)
    def put(self, request: Request) -> Response:
        account = account_of(request)
        refuse_floods(request._request, account.login)
        change_password(account, read_body(request, PasswordChange))
        changed = Account.objects.get(pk=account.pk)
        login(request._request, changed, backend="moorland.server.directory.sign_in.LoginBackend")
        end_all(changed)
        begin(request._request, changed, rules_of(changed))
        return answer(session_answer(changed, request._request))


def _signed_in(request: Request) -> Account | None:
    """The account of the session, if there is one."""
    return request.user if isinstance(request.user, Account) else None


class People(APIView):
    """By duty: everybody, with organizations, groups and attributes."""

    needs = {"GET": within("look-shapes", "people", "map", "trail", "settings")}

    @extend_schema(responses=PeopleAnswer, parameters=[STATE_PARAMETER])
    def get(self, request: Request) -> HttpResponse:
        base, rights = evaluator(state_of(request)), request_rights(request)
        if any(rights.whole(act) for act in PLACED):
            return HttpResponse(_everybody_sent(base), content_type="application/json")
        return answer(_among(_everybody(base), base, rights))


@lru_cache(maxsize=4)
def _everybody_sent(base: Evaluator) -> bytes:
    """The list of all people as it is sent; an evaluator never changes, so neither does it."""
    return _everybody(base).model_dump_json(by_alias=True).encode()


def _among(found: PeopleAnswer, base: Evaluator, rights: Rights) -> PeopleAnswer:
    """The people, groups and organizations an account has to do with: those in its scopes, and where the people in them belong."""
    known = {viewer.login: viewer for viewer in base.everyone() if knows_person(rights, viewer)}
    homes = {name for viewer in known.values() for name in viewer.organizations}
    places = {name for viewer in known.values() for name in viewer.groups}
    places |= {group.name for group in base.bundle.groups if knows_group(rights, group.name, base.people)}
    homes |= {item.name for item in base.bundle.organizations if knows_organization(rights, item.name, base.people)}
    return found.model_copy(
        update={
            "people": [
                entry.model_copy(update={"groups": [name for name in entry.groups if name in places]}) for entry in found.people if entry.login in known
            ],
            "organizations": [
                item if item.parent in homes or item.parent is None else item.model_copy(update={"parent": None})
                for item in found.organizations
                if item.name in homes
            ],
            "groups": [
                item.model_copy(update={"users": [login for login in item.users if login in known], "groups": [name for name in item.groups if name in places]})
                for item in found.groups
                if item.name in places
            ],
            "attributes": [_without_default(rights, definition) for definition in found.attributes],
        }
    )


def _without_default(rights: Rights, definition: AttributeShape) -> AttributeShape:
    known = rights.reaches("people", attribute=definition.name) or "look-values" in rights.acts
    return definition if known else definition.model_copy(update={"default": None})


@lru_cache(maxsize=4)
def _everybody(base: Evaluator) -> PeopleAnswer:
    """The list of all people; kept as `_everybody_sent` is."""
    direct: dict[str, list[str]] = {}
    for group in base.bundle.groups:
        for member in group.users if group.enabled else []:
            direct.setdefault(member, []).append(group.name)
    people = [
        PersonEntry(
            login=user.login,
            name=user.name,
            email=user.email,
            organization=user.organization,
            kind=user.kind,
            enabled=user.enabled,
            groups=direct.get(user.login, []),
        )
        for user in base.bundle.users
    ]
    bundle = base.bundle
    return PeopleAnswer(
        people=people,
        organizations=[OrganizationEntry(name=item.name, label=item.title, parent=item.parent) for item in bundle.organizations],
        groups=[
            GroupEntry(name=item.name, label=item.title, enabled=item.enabled, priority=item.priority, users=item.users, groups=item.groups)
            for item in bundle.groups
        ],
        attributes=bundle.attributes,
    )


class Held(APIView):
    """By duty: which roles everybody holds."""

    needs = {"GET": LOOKERS}

    @extend_schema(responses=HeldAnswer, parameters=[STATE_PARAMETER])
    def get(self, request: Request) -> Response:
        base = evaluator(state_of(request))
        labels = {name: role.role.title for name, role in base.roles.items()}
        rights = request_rights(request)
        held = {viewer.login or "": list(viewer.held) for viewer in base.everyone() if viewer.held and knows_person(rights, viewer)}
        if not any(rights.whole(act) for act in PLACED):
            labels = {role: labels[role] for roles in held.values() for role in roles}
        return answer(HeldAnswer(labels=labels, held=held))


def _mapping_keys(account: Account) -> Callable[[str, RolePath], int | None]:
    """Gives the mapping of a role to this person alone; None where the role comes by a group or a condition."""
    fields = ("role__name", "first_day", "last_day", "pk")
    keys = {(role, first, last): key for role, first, last, key in account.assignments.order_by("-pk").values_list(*fields)}

    def key_of(role: str, path: RolePath) -> int | None:
        written = path.assignment
        return keys.get((role, written.from_, written.until)) if written is not None and written.user == account.login else None

    return key_of


def _told_paths(rights: Rights, base: Evaluator, role: str, paths: list[RolePath]) -> list[RolePath]:
    """Ways a role is held, as an account may read them."""
    return paths if may_read_literals(rights, base.roles[role].role.model) else without_path_literals(paths)


def _may_count(rights: Rights, viewer: Viewer, model: str, state: str) -> bool:
    """Whether an account may be told how much somebody sees of a model: the draft is for who may look at everybody."""
    return rights.reaches("look-shapes", person=viewer, model=model) and (state == "live" or rights.reaches("look-shapes", everyone=True, model=model))


class Attributes(APIView):
    """By duty: the versions of the attributes' definitions."""

    needs = {"GET": ANY_DUTY}

    @extend_schema(responses=AttributeVersions)
    def get(self, request: Request) -> Response:
        return answer(AttributeVersions(versions=dict(AttributeDefinition.objects.values_list("name", "version"))))


class Person(APIView):
    """By duty: what reaches a person; change the person."""

    needs = {"GET": LOOKERS, "PATCH": within("people")}

    @extend_schema(responses=PersonCard, parameters=[STATE_PARAMETER])
    def get(self, request: Request, login: str) -> Response:
        return answer(self._card(request, login))

    @extend_schema(request=PersonChange, responses=ImpactAnswer, parameters=[TRY])
    def patch(self, request: Request, login: str) -> Response:
        asked = read_body(request, PersonChange)
        account = account_named(login)
        expect_version(account, asked.version, login, lambda: self._card(request, login).model_dump(mode="json", by_alias=True))
        change = PeopleChange(logins=[login], versions={login: asked.version}, **asked.model_dump(exclude={"version"}, exclude_none=True))
        found = perform(Act(change_people=change), account_of(request), only_tried(request))
        return answer(ImpactAnswer(viewers=shared(found.viewers), broken=found.broken))

    def _card(self, request: Request, login: str) -> PersonCard:
        state = state_of(request)
        base = evaluator(state)
        account = account_named(login)
        if login not in base.people.users:
            raise missing("user", login)
        viewer, rights = base.viewer(login), request_rights(request)
        if not knows_person(rights, viewer):
            raise missing("user", login)
        record_look(account_of(request), [login], "person card", state)
        values = rights.reaches("look-values", person=viewer)
        origin = origin_of_account(account)
        groups, key_of = base.people.groups, _mapping_keys(account)
        used = last_used(account) if rights.reaches("trail", person=viewer) or "checks" in rights.acts else {}
        return PersonCard(
            login=account.login,
            name=account.name,
            email=account.email,
            organization=viewer.organization,
            kind="service" if account.kind == "service" else "person",
            enabled=account.enabled,
            about=account.about,
            keeper=account.keeper,
            version=account.version,
            can_sign_in=account.has_usable_password() or signs_in_by(account) is not None,
            comes_from=origin.title if origin is not None else None,
            said=sorted(origin.says) if origin is not None else [],
            good=GoodBetween(from_=account.first_day, until=account.last_day),
            sign_in=SignInFlags(
                must_change_password=account.must_change_password,
                password_never_expires=account.password_never_expires,
                keeps_password=account.keeps_password,
            ),
            acts=[act for act in ACTS if act in rights_of(account).acts],
            groups=[EffectiveGroup(name=name, label=groups[name].title, path=list(path), direct=len(path) == 1) for name, path in viewer.groups.items()],
            attributes=[
                AttributeCard(
                    definition=definition,
                    values=list(resolution.values) if resolution.values is not None else None,
                    conflict=resolution.conflict,
                    ladder=[LadderRung(kind=rung.kind, name=rung.name, values=list(rung.values), decides=rung.decides) for rung in resolution.ladder],  # type: ignore[arg-type]
                    own=account.attributes.get(definition.name),
                )
                for definition in base.bundle.attributes
                if definition.shown_to != "nobody"
                and (values or rights.reaches("people", person=viewer, attribute=definition.name))
                and (resolution := viewer.attributes[definition.name])
            ],
            roles=[
                HeldRoleCard(
                    name=name,
                    label=base.roles[name].role.title,
                    kind=base.roles[name].role.kind,
                    paths=_told_paths(rights, base, name, paths := paths_of(viewer, name)),
                    keys=[key_of(name, path) for path in paths],
                    last_used=used.get(name),
                )
                for name in viewer.held
            ],
            pages=[page.name for page in base.bundle.pages if base.may_open(viewer, page.name)],
            shares={name: share(base, viewer, name) for name in base.models if _may_count(rights, viewer, name, state)},
            nothing=why_nothing(base, viewer),
        )
