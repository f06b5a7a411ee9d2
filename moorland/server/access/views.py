"""One's own account, sessions, second factor and tokens; sign-in rules and tokens of others (accounts.md 7 to 10)."""

import shutil
import tempfile
import zoneinfo
from pathlib import Path

from django.conf import settings
from django.http import FileResponse
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.problems import Problem
from moorland.server.access.models import AccessToken, OpenSession, SecondFactor, StoredRules
from moorland.server.access.own_account import changed_by_oneself, own_account, token_entry
from moorland.server.access.rules import SignInRules, Stops, refuse_organizations, rules, rules_of, stopped_by
from moorland.server.access.second_factor import begun, confirmed
from moorland.server.access.sessions import end, end_all, limit
from moorland.server.access.shapes import (
    FactorBegun,
    FactorCode,
    FactorEnd,
    MadeToken,
    NewToken,
    NewTokenOf,
    OwnAccount,
    OwnChange,
    OwnImpact,
    RecoveryCodes,
    RulesAnswer,
    RulesSave,
    TokenList,
    WorkspaceSave,
)
from moorland.server.access.tokens import MOST_TOKENS, made
from moorland.server.backup import backed_up
from moorland.server.changes import recorded
from moorland.server.directory.accounts import account_named
from moorland.server.directory.models import Account
from moorland.server.directory.throttling import refuse_floods
from moorland.server.duties.judging import may_take_over
from moorland.server.duties.permission import KEEPER, OWN_SESSION, request_rights, within
from moorland.server.duties.rights import outside
from moorland.server.errors import Failure, answer, missing, read_body, stale
from moorland.server.evaluating import evaluator
from moorland.server.releases.bundles import workspace
from moorland.server.releases.models import Workspace
from moorland.server.requests import TRY, account_of, only_tried


class OwnAccounts(APIView):
    """Anybody signed in: their own account; change what of it is theirs to change."""

    needs = {"GET": OWN_SESSION, "PATCH": OWN_SESSION}

    @extend_schema(responses=OwnAccount)
    def get(self, request: Request) -> Response:
        return answer(own_account(account_of(request), request._request))

    @extend_schema(request=OwnChange, responses=OwnImpact, parameters=[TRY])
    def patch(self, request: Request) -> Response:
        asked = read_body(request, OwnChange)
        account = Account.objects.get(pk=account_of(request).pk)
        return answer(OwnImpact(viewers=changed_by_oneself(account, asked, only_tried(request))))


class OwnSessions(APIView):
    """Anybody signed in: end all their other sessions."""

    needs = {"DELETE": OWN_SESSION}

    @extend_schema(request=None, responses={200: OwnAccount})
    def delete(self, request: Request) -> Response:
        account = account_of(request)
        with recorded(account, "end sessions", account.login) as change:
            change.details["ended"] = end_all(account, request._request.session.session_key)
        return answer(own_account(account, request._request))


class OneOwnSession(APIView):
    """Anybody signed in: end one of their sessions."""

    needs = {"DELETE": OWN_SESSION}

    @extend_schema(request=None, responses={200: OwnAccount})
    def delete(self, request: Request, key: int) -> Response:
        account = account_of(request)
        found = OpenSession.objects.filter(pk=key, account=account).first()
        if found is None:
            raise missing("session", str(key))
        with recorded(account, "end sessions", account.login) as change:
            change.details["ended"] = 1
            end(found)
        return answer(own_account(account, request._request))


class OwnSecondFactor(APIView):
    """Anybody signed in: begin a second factor, and put it in force with its first code."""

    needs = {"POST": OWN_SESSION, "PUT": OWN_SESSION}
    while_limited = True

    @extend_schema(request=None, responses={201: FactorBegun})
    def post(self, request: Request) -> Response:
        account = account_of(request)
        if rules_of(account).second_factor == "off":
            raise Failure(422, "invalid", "This workspace asks for no second factor.")
        if SecondFactor.objects.filter(account=account, confirmed=True).exists():
            raise Failure(409, "stale", "There is a second factor already. Take it away first.")
        address, picture = begun(account, workspace().name)
        return answer(FactorBegun(address=address, picture=picture), 201)

    @extend_schema(request=FactorCode, responses=RecoveryCodes)
    def put(self, request: Request) -> Response:
        asked, account = read_body(request, FactorCode), account_of(request)
        refuse_floods(request._request, account.login)
        with recorded(account, "second factor", account.login):
            codes = confirmed(account, asked.code)
            if codes is None:
                raise Failure(422, "wrong_code", "This code is not right, or is over. Take the one that is shown now.")
        limit(request._request, Account.objects.get(pk=account.pk), rules_of(account))
        return answer(RecoveryCodes(codes=codes))


class NoSecondFactor(APIView):
    """Anybody signed in: take the second factor away, with the password."""

    needs = {"POST": OWN_SESSION}

    @extend_schema(request=FactorEnd, responses={204: None})
    def post(self, request: Request) -> Response:
        asked, account = read_body(request, FactorEnd), account_of(request)
        refuse_floods(request._request, account.login)
        if not Account.objects.get(pk=account.pk).check_password(asked.password):
            raise Failure(422, "wrong_password", "The password is not this one.", [Problem("wrong_password", "not the password", path="password")])
        if rules_of(account).second_factor == "required":
            raise Failure(422, "invalid", "This workspace requires a second factor.")
        with recorded(account, "no second factor", account.login):
            SecondFactor.objects.filter(account=account).delete()
        return Response(status=204)


class OwnTokens(APIView):
    """Anybody signed in: make a token of their own; it is shown this one time."""

    needs = {"POST": OWN_SESSION}

    @extend_schema(request=NewToken, responses={201: MadeToken})
    def post(self, request: Request) -> Response:
        return answer(_made(account_of(request), account_of(request), read_body(request, NewToken)), 201)


class OneOwnToken(APIView):
    """Anybody signed in: end one of their tokens at once."""

    needs = {"DELETE": OWN_SESSION}

    @extend_schema(request=None, responses={204: None})
    def delete(self, request: Request, key: int) -> Response:
        account = account_of(request)
        _end(account, AccessToken.objects.filter(pk=key, account=account).first(), key)
        return Response(status=204)


class Tokens(APIView):
    """Who has settings: every token; make one for a service."""

    needs = {"GET": within("settings"), "POST": within("settings")}

    @extend_schema(responses=TokenList)
    def get(self, request: Request) -> Response:
        return answer(TokenList(tokens=[token_entry(item) for item in AccessToken.objects.select_related("account")]))

    @extend_schema(request=NewTokenOf, responses={201: MadeToken})
    def post(self, request: Request) -> Response:
        asked = read_body(request, NewTokenOf)
        account = account_named(asked.login)
        if account.kind != "service":
            raise Failure(422, "invalid", f"{account.name} is a person: people make tokens of their own.")
        if not may_take_over(request_rights(request), account, [evaluator("live"), evaluator("draft")]):
            raise outside(f"{account.name} holds more than you could give. Somebody who could give all of it has to make this token.")
        return answer(_made(account_of(request), account, asked), 201)


class OneToken(APIView):
    """Who has settings: end a token at once."""

    needs = {"DELETE": within("settings")}

    @extend_schema(request=None, responses={204: None})
    def delete(self, request: Request, key: int) -> Response:
        _end(account_of(request), AccessToken.objects.filter(pk=key).first(), key)
        return Response(status=204)


class PersonAccess(APIView):
    """Who makes links for somebody, and could give all they hold: end their sessions, tokens and second factor."""

    needs = {"DELETE": within("links")}

    @extend_schema(request=None, responses={204: None})
    def delete(self, request: Request, login: str) -> Response:
        base, rights = evaluator("live"), request_rights(request)
        if login not in base.people.users or not rights.reaches("links", person=base.viewer(login)):
            raise missing("user", login)
        account = account_named(login)
        if not rights.keeps_all and not may_take_over(rights, account, [base, evaluator("draft")]):
            raise outside(f"{account.name} holds more than you could give.")
        with recorded(account_of(request), "end access", login) as change:
            change.details["ended"] = end_all(account)
            AccessToken.objects.filter(account=account).delete()
            account.door_keys.all().delete()
            SecondFactor.objects.filter(account=account).delete()
        return Response(status=204)


class Rules(APIView):
    """Who has settings: the sign-in rules with whom they stop; save them."""

    needs = {"GET": within("settings"), "PUT": within("settings")}

    @extend_schema(responses=RulesAnswer)
    def get(self, request: Request) -> Response:
        return answer(_rules())

    @extend_schema(request=RulesSave, responses=RulesAnswer)
    def put(self, request: Request) -> Response:
        asked = read_body(request, RulesSave)
        with recorded(account_of(request), "change sign-in rules", "workspace") as change:
            stored = StoredRules.objects.first() or StoredRules(version=1)
            refuse_organizations(asked.rules)
            if stored.version != asked.version:
                raise stale("the sign-in rules", {"version": stored.version})
            change.before, change.after = stored.document, asked.rules.model_dump(mode="json")
            stored.document, stored.version = change.after, stored.version + 1
            stored.save()
        return answer(_rules())


class RulesTried(APIView):
    """Who has settings: whom other rules would stop today."""

    needs = {"POST": within("settings")}

    @extend_schema(request=SignInRules, responses=Stops)
    def post(self, request: Request) -> Response:
        return answer(stopped_by(read_body(request, SignInRules)))


class Backups(APIView):
    """Who may do everything: the whole workspace as one file, without its keys."""

    needs = {"POST": KEEPER}

    @extend_schema(request=None, responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def post(self, request: Request) -> FileResponse:
        folder = Path(tempfile.mkdtemp(prefix="backup-", dir=settings.DATA))
        copy = folder / f"moorland-{timezone.now():%Y-%m-%d-%H%M}.sqlite3"
        try:
            backed_up(copy, account_of(request).login)
            opened = copy.open("rb")
        finally:
            shutil.rmtree(folder, ignore_errors=True)
        return FileResponse(opened, as_attachment=True, filename=copy.name, content_type="application/octet-stream")


class WorkspaceSettings(APIView):
    """Who has settings: the name and time zone of the workspace."""

    needs = {"PUT": within("settings")}

    @extend_schema(request=WorkspaceSave, responses=RulesAnswer)
    def put(self, request: Request) -> Response:
        asked = read_body(request, WorkspaceSave)
        if asked.time_zone not in zoneinfo.available_timezones():
            raise Failure(
                422, "invalid", f"{asked.time_zone} is no time zone. Write Europe/London, or UTC.", [Problem("invalid", "no time zone", path="time_zone")]
            )
        with recorded(account_of(request), "change workspace", asked.name, "people", "policy") as change:
            space = workspace()
            tags = space.sensitive_tags if asked.sensitive_tags is None else list(dict.fromkeys(asked.sensitive_tags))
            days = asked.trail_days if "trail_days" in asked.model_fields_set else space.trail_days
            second = space.second_person if asked.second_person is None else list(dict.fromkeys(asked.second_person))
            rest = {"trail_days": space.trail_days, "second_person": space.second_person}
            change.before = {"name": space.name, "time_zone": space.time_zone, "sensitive_tags": space.sensitive_tags, **rest}
            change.after = {"name": asked.name.strip(), "time_zone": asked.time_zone, "sensitive_tags": tags, "trail_days": days, "second_person": second}
            Workspace.objects.filter(pk=space.pk).update(**change.after)
        return answer(_rules())


def _rules() -> RulesAnswer:
    stored, space, now = StoredRules.objects.first(), workspace(), rules()
    return RulesAnswer(
        rules=now,
        version=stored.version if stored is not None else 1,
        stops=stopped_by(now),
        workspace=space.name,
        time_zone=space.time_zone,
        sensitive_tags=space.sensitive_tags,
        trail_days=space.trail_days,
        second_person=space.second_person,
        mail=bool(settings.MAIL_IS_SET_UP),
    )


def _made(by: Account, account: Account, asked: NewToken) -> MadeToken:
    with recorded(by, "make token", account.login) as change:
        if AccessToken.objects.filter(account=account).count() >= MOST_TOKENS:
            raise Failure(422, "invalid", f"An account has at most {MOST_TOKENS} tokens. End one first.")
        if AccessToken.objects.filter(account=account, name=asked.name).exists():
            message = f"There is a token {asked.name} already."
            raise Failure(422, "invalid", message, [Problem("duplicate", message, path="name")])
        stored, token = made(account, asked.name, asked.scope, asked.days)
        change.details = {"token": asked.name, "scope": asked.scope.model_dump(mode="json")}
    return MadeToken(token=token, entry=token_entry(stored))


def _end(by: Account, token: AccessToken | None, key: int) -> None:
    if token is None:
        raise missing("token", str(key))
    with recorded(by, "end token", token.account.login) as change:
        change.details["token"] = token.name
        token.delete()
