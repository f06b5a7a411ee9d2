"""Duties: who has which, give, change and take them; what an account may do, and who can do something (accounts.md 1 to 6)."""

from collections.abc import Callable

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.duties import ACTS, DIMENSIONS, MEANINGS, SETS, Duty, PeopleWithin, missing_dimensions
from moorland.core.bundle.writing import to_plain
from moorland.core.engine.evaluator import Evaluator
from moorland.server.changes import expect_version, recorded
from moorland.server.directory.accounts import account_named
from moorland.server.directory.models import Account, Group
from moorland.server.directory.service import Tried, still_as_judged, tried
from moorland.server.duties.giving import give
from moorland.server.duties.judging import holdings, keeps_alone, refuse_wider
from moorland.server.duties.models import GivenDuty
from moorland.server.duties.permission import SIGNED_IN, request_rights, within
from moorland.server.duties.rights import duty_of, rights_of
from moorland.server.duties.shapes import (
    AccountRights,
    ActEntry,
    DutiesAnswer,
    DutySave,
    GivenDutyEntry,
    MayDo,
    ReadySetEntry,
    WhoCanAnswer,
    WhoCanEntry,
    WhoCanRequest,
)
from moorland.server.errors import Failure, answer, missing, read_body
from moorland.server.evaluating import evaluator
from moorland.server.pages.models import Shelf
from moorland.server.requests import VERSION, account_of, version_of


class Duties(APIView):
    """Who has settings: every duty; give one."""

    needs = {"GET": within("settings"), "POST": within("settings")}

    @extend_schema(responses=DutiesAnswer)
    def get(self, request: Request) -> Response:
        return answer(_answer())

    @extend_schema(request=DutySave, responses={201: DutiesAnswer})
    def post(self, request: Request) -> Response:
        asked = read_body(request, DutySave)
        _refuse_unusable(request, asked.duty)
        _made(request, "give duty", asked.duty, lambda: give(asked.duty, account_of(request).login), None)
        return answer(_answer(), 201)


class OneDuty(APIView):
    """Who has settings: change a duty, or take it away; stale saves are refused."""

    needs = {"PUT": within("settings"), "DELETE": within("settings")}

    @extend_schema(request=DutySave, responses=DutiesAnswer)
    def put(self, request: Request, key: int) -> Response:
        asked = read_body(request, DutySave)
        given = _given(key)
        expect_version(given, asked.version, "this duty")
        old = duty_of(given)
        if (asked.duty.user, asked.duty.group) != (old.user, old.group):
            raise Failure(422, "invalid", "A duty stays with whom it was given to. Take it away, and give another.")
        _refuse_unusable(request, asked.duty)

        def change() -> None:
            stored = _given(key)
            document = to_plain(asked.duty)
            stored.acts, stored.within = document["acts"], document["within"]
            stored.first_day, stored.last_day = asked.duty.from_, asked.duty.until
            stored.reason, stored.given_by = asked.duty.reason or "", account_of(request).login
            stored.moved()

        _made(request, "change duty", asked.duty, change, old)
        return answer(_answer())

    @extend_schema(request=None, responses=DutiesAnswer, parameters=[VERSION])
    def delete(self, request: Request, key: int) -> Response:
        given = _given(key)
        expect_version(given, version_of(request), "this duty")
        old = duty_of(given)
        _made(request, "take duty", None, lambda: GivenDuty.objects.filter(pk=key).delete(), old)
        return answer(_answer())


class WhatCan(APIView):
    """Who has settings: what an account may do, by which duty, and how it comes by it."""

    needs = {"GET": within("settings")}

    @extend_schema(responses=AccountRights)
    def get(self, request: Request, login: str) -> Response:
        return answer(account_rights(account_named(login)))


class OwnDuties(APIView):
    """Anybody signed in: what their own account may do."""

    needs = {"GET": SIGNED_IN}

    @extend_schema(responses=AccountRights)
    def get(self, request: Request) -> Response:
        return answer(account_rights(account_of(request)))


class WhoCan(APIView):
    """Who has settings: who can do something."""

    needs = {"POST": within("settings")}

    @extend_schema(request=WhoCanRequest, responses=WhoCanAnswer)
    def post(self, request: Request) -> Response:
        asked = read_body(request, WhoCanRequest)
        base = evaluator("live")
        person = None
        if asked.person is not None:
            if asked.person not in base.people.users:
                raise missing("user", asked.person)
            person = base.viewer(asked.person)
        found = []
        for account in Account.objects.filter(login__in=list(holdings(base)), enabled=True):
            rights = rights_of(account)
            if rights.reaches(
                asked.act, person=person, model=asked.model, role=asked.role, shelf=asked.shelf, attribute=asked.attribute, everyone=asked.person is None
            ) or (asked.person is None and not asked.model_fields_set - {"act", "person"} and asked.act in rights.acts):
                path = next(list(held.path) for held in rights.held if asked.act in held.acts)
                found.append(WhoCanEntry(login=account.login, name=account.name, path=path, can_sign_in=account.has_usable_password()))
        return answer(WhoCanAnswer(accounts=found))


def account_rights(account: Account) -> AccountRights:
    """What an account may do, duty by duty."""
    rights = rights_of(account)
    return AccountRights(
        login=account.login,
        name=account.name,
        duties=[MayDo(id=held.key, duty=held.duty, path=list(held.path), given_by=held.given_by) for held in rights.held],
        acts=[act for act in ACTS if act in rights.acts],
        everywhere=[act for act in ACTS if rights.whole(act)],
        alone=keeps_alone(account),
    )


def _given(key: int) -> GivenDuty:
    found = GivenDuty.objects.select_related("account", "group").filter(pk=key).first()
    if found is None:
        raise missing("duty", str(key))
    return found


def _refuse_unusable(request: Request, duty: Duty) -> None:
    """Raises Failure where the holder is not there, the scope names what is not, or the duty is beyond the giver's own."""
    base = evaluator("live")
    if duty.user is not None and not Account.objects.filter(login=duty.user).exists():
        raise missing("user", duty.user)
    if duty.group is not None and not Group.objects.filter(name=duty.group).exists():
        raise missing("group", duty.group)
    unknown = _unknown(base, duty)
    if unknown:
        raise Failure(422, "invalid", f"This scope names what is not here: {', '.join(unknown[:5])}.")
    refuse_wider(request_rights(request), duty, base.people)


def _made(request: Request, action: str, duty: Duty | None, change: Callable[[], object], old: Duty | None) -> None:
    account = account_of(request)
    found: Tried = tried(change, account)
    about = duty or old
    assert about is not None
    with recorded(account, action, about.user or f"group {about.group}", "people") as entry:
        entry.before, entry.after = to_plain(old) if old is not None else None, to_plain(duty) if duty is not None else None
        if keeps_alone(account):
            entry.details["alone"] = True
        change()
        still_as_judged(found)


def _answer() -> DutiesAnswer:
    base = evaluator("draft")
    held = holdings(base)
    entries = []
    for given in GivenDuty.objects.select_related("account", "group"):
        duty = duty_of(given)
        label = given.account.name if given.account else (given.group.label or given.group.name) if given.group else ""
        entries.append(
            GivenDutyEntry(
                id=given.pk,
                version=given.version,
                duty=duty,
                label=label,
                given_by=given.given_by,
                given_at=given.given_at.isoformat(timespec="seconds"),
                people=sorted(login for login, duties in held.items() if given.pk in duties),
                acting=(duty.from_ is None or duty.from_ <= base.as_of) and (duty.until is None or duty.until >= base.as_of),
                unknown=_unknown(base, duty),
                silent=missing_dimensions(duty.acts, duty.scope),
            )
        )
    return DutiesAnswer(
        duties=entries,
        acts=[ActEntry(name=act, allows=MEANINGS[act], dimensions=list(DIMENSIONS[act])) for act in ACTS],
        sets=[ReadySetEntry(name=item.name, label=item.label, about=item.about, acts=list(item.acts), chosen=list(item.chosen)) for item in SETS],
        models={model.name: model.title for model in base.bundle.models},
        roles={role.name: role.title for role in base.bundle.roles},
        shelves={shelf.name: str(shelf.document.get("label") or shelf.name) for shelf in Shelf.objects.all()},
    )


def _unknown(base: Evaluator, duty: Duty) -> list[str]:
    """What a scope names that is not here: there it reaches nothing."""
    scope, people = duty.scope, base.people
    known: list[tuple[object, set[str]]] = [
        (scope.models, {*base.models, *evaluator("live").models}),
        (scope.roles, {*base.roles, *evaluator("live").roles}),
        (scope.shelves, {shelf.name for shelf in base.bundle.shelves} | {shelf.name for shelf in evaluator("live").bundle.shelves}),
        (scope.attributes, set(people.definitions)),
    ]
    if isinstance(scope.people, PeopleWithin):
        known += [(scope.people.organizations, set(people.organizations)), (scope.people.groups, set(people.groups)), (scope.people.users, set(people.users))]
    return sorted({name for names, there in known if isinstance(names, list) for name in names if name not in there})
