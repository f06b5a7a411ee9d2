"""Origins over the API, for who may do everything: kept, tried against what is really there, run, and let through (accounts.md 16 to 18)."""

from datetime import timedelta
from typing import Any

from django.conf import settings
from django.utils import timezone
from drf_spectacular.utils import OpenApiResponse, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from moorland.core.bundle.problems import Problem
from moorland.core.sources.placing import machine_hosts
from moorland.server.access.tokens import hashed
from moorland.server.changes import expect_version, recorded
from moorland.server.directory.accounts import account_named
from moorland.server.directory.models import Group, Organization
from moorland.server.directory.people_rows import definitions_here
from moorland.server.duties.permission import KEEPER
from moorland.server.errors import Failure, answer, missing, read_body
from moorland.server.keys import sealing_keys
from moorland.server.origins.binding import secret_of
from moorland.server.origins.ldap_client import is_here
from moorland.server.origins.ldap_reading import look_around, read_directory
from moorland.server.origins.ldap_runs import run_directory
from moorland.server.origins.models import Entry, Joined, Origin, OriginRun, OriginToken
from moorland.server.origins.running import MOST_TOLD, is_holding, rows_told, text_of, tried_run
from moorland.server.origins.shapes import (
    ArrivalReport,
    JoinRequest,
    LdapText,
    OriginEntry,
    OriginList,
    OriginRunEntry,
    OriginSave,
    OriginText,
    OriginTokenEntry,
    OriginTried,
    OriginTry,
    RunRequest,
    ScimText,
    TokenMade,
    TokenRequest,
    UnlistedGroup,
)
from moorland.server.origins.tokens import new_token
from moorland.server.releases.bundles import workspace
from moorland.server.requests import VERSION, account_of, version_of
from moorland.server.schedules.timing import next_run
from moorland.server.tasks.running import start
from moorland.server.tasks.shapes import TaskAnswer, task_answer

#: What is held one by one is let through for so long.
RELEASED = timedelta(hours=1)
#: Runs told in a list, and people of each.
RUNS_TOLD = 12


class Origins(APIView):
    """Who may do everything: where people come from; keep one, new or changed."""

    needs = {"GET": KEEPER, "PUT": KEEPER}

    @extend_schema(responses=OriginList)
    def get(self, request: Request) -> Response:
        origins = [_entry(item) for item in Origin.objects.select_related("keeper")]
        return answer(OriginList(origins=origins, hosts=machine_hosts(), ldap=is_here(), time_zone=workspace().time_zone))

    @extend_schema(request=OriginSave, responses=OriginEntry)
    def put(self, request: Request) -> Response:
        asked = read_body(request, OriginSave)
        text = asked.origin
        stored = Origin.objects.filter(name=text.name).first()
        if asked.version is None and stored is not None:
            raise _wrong("name", f"There is an origin {text.name} already.")
        if asked.version is not None:
            if stored is None:
                raise missing("origin", text.name)
            expect_version(stored, asked.version, f"the origin {text.name}")
            if stored.kind != text.kind:
                raise _wrong("kind", "What an origin is stays. Make another one.")
        _refuse_names(text, stored)
        with recorded(account_of(request), "change origin" if stored else "add origin", text.name) as change:
            document = text.model_dump(mode="json", by_alias=True)
            change.before, change.after = stored.document if stored else None, document
            item = stored or Origin(name=text.name, kind=text.kind, version=0)
            elsewhere = stored is not None and leads_elsewhere(stored.document, document)
            if asked.secret is not None or elsewhere:
                item.sealed = sealing_keys(settings.SEALING_KEYS).encrypt(asked.secret.encode()).decode() if asked.secret else ""
            change.details = {"new secret": bool(asked.secret), "secret cleared": elsewhere and not asked.secret}
            item.document, item.enabled, item.keeper = document, asked.enabled, account_of(request)
            when = text.when if isinstance(text, LdapText) and asked.enabled else None
            item.next_at = next_run(when, workspace().time_zone, timezone.now()) if when is not None else None
            item.trouble, item.troubled_at = "", None
            item.moved()
        return answer(_entry(item))


def leads_elsewhere(before: dict[str, Any], after: dict[str, Any]) -> bool:
    """Whether a secret would be sent somewhere else than before: it is then written anew."""
    return any(before.get(part) != after.get(part) for part in ("host", "port", "security", "certificate", "bind", "issuer", "client_id"))


def _refuse_names(text: OriginText, stored: Origin | None) -> None:
    """Raises Failure (422) where an origin names what is not here, or what another one says already."""
    known = set(Organization.objects.values_list("name", flat=True))
    home = getattr(text, "home", None)
    if home is not None and home not in known:
        raise _wrong("home", f"There is no organization named {home}.")
    unknown = sorted(_given_attributes(text) - definitions_here().keys())
    if unknown:
        raise _wrong("attributes", f"There is no attribute named {unknown[0]}.")
    others = Origin.objects.exclude(pk=stored.pk) if stored is not None else Origin.objects.all()
    filled = {item["group"]: other.name for other in others for item in other.document.get("listed", [])}
    groups = {name.lower(): name for name in Group.objects.values_list("name", flat=True)}
    for item in text.listed:
        if item.group in filled:
            raise _wrong("listed", f"The group {item.group} is filled from {filled[item.group]} already.")
        if groups.get(item.group.lower(), item.group) != item.group:
            raise _wrong("listed", f"{item.group} is written {groups[item.group.lower()]} here; letter case does not tell groups apart.")


def _given_attributes(text: OriginText) -> set[str]:
    """The attributes here that an origin gives values of."""
    return set(text.people.attributes if isinstance(text, LdapText) else text.attributes)


class TryOrigin(APIView):
    """Who may do everything: what a directory shows of what is written so far; nothing is kept."""

    needs = {"POST": KEEPER}

    @extend_schema(request=OriginTry, responses=OriginTried)
    def post(self, request: Request) -> Response:
        asked = read_body(request, OriginTry)
        if not isinstance(asked.origin, LdapText):
            raise _wrong("kind", "Only a directory is asked from here.")
        return answer(look_around(asked.origin, _secret_for(asked)))


class TryOriginRun(APIView):
    """Who may do everything: what a run of a directory, as it is written, would do; a task, whose result is an ArrivalReport."""

    needs = {"POST": KEEPER}

    @extend_schema(request=OriginTry, responses={202: TaskAnswer, 200: OpenApiResponse(ArrivalReport, description="The result of the task.")})
    def post(self, request: Request) -> Response:
        asked, account = read_body(request, OriginTry), account_of(request)
        text = asked.origin
        if not isinstance(text, LdapText):
            raise _wrong("kind", "Only a directory is asked from here.")
        secret, stored = _secret_for(asked), Origin.objects.filter(name=text.name).first()
        _refuse_names(text, stored)
        origin = stored or Origin(name=text.name, kind=text.kind)
        if stored is None:
            origin.pk = 0

        def work(progress: Any) -> dict[str, Any]:
            progress.told("Reading the directory", 0, 0)
            said = read_directory(text, secret)
            progress.told("Working out who gains and loses", 0, 0)
            report, _, _ = tried_run(origin, text, said, account)
            return report.model_dump(mode="json")

        return answer(task_answer(start("directory", text.name, account, work)), 202)


class OneOrigin(APIView):
    """Who may do everything: take an origin away. Its people stay, and are kept here from then on; who signed in by it needs a link."""

    needs = {"DELETE": KEEPER}

    @extend_schema(parameters=[VERSION], responses={204: None})
    def delete(self, request: Request, name: str) -> Response:
        stored = _stored(name)
        with recorded(account_of(request), "delete origin", name) as change:
            expect_version(stored, version_of(request), f"the origin {name}")
            change.before = stored.document
            change.details = {"people kept here from now on": stored.entries.filter(kind="person").exclude(account=None).count()}
            stored.delete()
        return Response(status=204)


class OriginRuns(APIView):
    """Who may do everything: read a directory and apply what it says now, as a task; or let what is held one by one through for an hour."""

    needs = {"POST": KEEPER, "PUT": KEEPER}

    @extend_schema(request=RunRequest, responses={202: TaskAnswer})
    def post(self, request: Request, name: str) -> Response:
        asked, account, stored = read_body(request, RunRequest), account_of(request), _stored(name)
        if not isinstance(text_of(stored), LdapText):
            raise _wrong("kind", "Only a directory is asked from here; from others people come by themselves.")

        def work(progress: Any) -> dict[str, Any]:
            progress.told("Reading the directory", 0, 0)
            run = run_directory(stored, account, asked.accepted)
            return {"state": run.state, "message": run.message, "counts": run.counts, "fingerprint": run.fingerprint}

        return answer(task_answer(start("directory", name, account, work)), 202)

    @extend_schema(request=None, responses=OriginEntry)
    def put(self, request: Request, name: str) -> Response:
        stored = _stored(name)
        with recorded(account_of(request), "let through", name) as change:
            stored.released_until = timezone.now() + RELEASED
            stored.save(update_fields=["released_until"])
            change.details = {"until": stored.released_until.isoformat()}
        return answer(_entry(stored))


class OriginJoins(APIView):
    """Who may do everything: an entry is the person of an account that is here already; the next run takes it so."""

    needs = {"POST": KEEPER}

    @extend_schema(request=JoinRequest, responses={204: None})
    def post(self, request: Request, name: str) -> Response:
        asked, stored = read_body(request, JoinRequest), _stored(name)
        account = account_named(asked.login)
        if Entry.objects.filter(account=account).exists():
            raise Failure(409, "in_use", f"{account.name} comes from an origin already; an account has one.")
        with recorded(account_of(request), "join entry", account.login, "people") as change:
            Joined.objects.update_or_create(origin=stored, key=asked.entry, defaults={"account": account})
            change.details = {"origin": name, "entry": asked.entry}
        return Response(status=204)


class OriginTokens(APIView):
    """Who may do everything: a token for a provisioning client; shown once."""

    needs = {"POST": KEEPER}

    @extend_schema(request=TokenRequest, responses={201: TokenMade})
    def post(self, request: Request, name: str) -> Response:
        asked, stored = read_body(request, TokenRequest), _stored(name)
        if stored.kind != "scim":
            raise _wrong("kind", "Tokens are for clients that provision people here.")
        token = new_token()
        with recorded(account_of(request), "make provisioning token", name) as change:
            OriginToken.objects.create(origin=stored, name=asked.name, token_hash=hashed(token))
            change.details = {"token": asked.name}
        return answer(TokenMade(token=token), 201)


class OneOriginToken(APIView):
    """Who may do everything: end a token at once."""

    needs = {"DELETE": KEEPER}

    @extend_schema(responses={204: None})
    def delete(self, request: Request, name: str, key: int) -> Response:
        found = OriginToken.objects.filter(pk=key, origin=_stored(name)).first()
        if found is None:
            raise missing("token", str(key))
        with recorded(account_of(request), "end provisioning token", name) as change:
            change.details = {"token": found.name}
            found.delete()
        return Response(status=204)


def _stored(name: str) -> Origin:
    found = Origin.objects.filter(name=name).select_related("keeper").first()
    if found is None:
        raise missing("origin", name)
    return found


def _secret_for(asked: OriginTry) -> str:
    """The secret that is written, or the stored one where it would go to the same place. Raises Failure where there is neither."""
    if asked.secret is not None:
        return asked.secret
    stored = Origin.objects.filter(name=asked.origin.name).first()
    if stored is None or not stored.sealed or leads_elsewhere(stored.document, asked.origin.model_dump(mode="json", by_alias=True)):
        return ""
    return secret_of(stored)


def _entry(item: Origin) -> OriginEntry:
    text = text_of(item)
    runs = list(item.runs.all()[:RUNS_TOLD])
    people = item.entries.filter(kind="person", gone=False).exclude(account=None).count()
    listed = {group.entry for group in text.listed}
    return OriginEntry(
        origin=text,
        has_secret=bool(item.sealed),
        enabled=item.enabled,
        version=item.version,
        keeper=item.keeper.name if item.keeper else None,
        people=people,
        next_at=item.next_at,
        running=item.running_since is not None,
        trouble=item.trouble,
        troubled_at=item.troubled_at,
        holding=is_holding(item),
        runs=[_run(run) for run in runs],
        tokens=[OriginTokenEntry(id=token.pk, name=token.name, made_at=token.made_at, used_at=token.used_at) for token in item.tokens.all()],
        groups=[
            UnlistedGroup(entry=entry.key, name=entry.document.get("displayName", ""), members=len(entry.document.get("members") or []))
            for entry in (item.entries.filter(kind="group", gone=False)[:MOST_TOLD] if isinstance(text, ScimText) else ())
            if entry.key not in listed
        ],
    )


def _run(run: OriginRun) -> OriginRunEntry:
    return OriginRunEntry(
        id=run.pk,
        began_at=run.began_at,
        ended_at=run.ended_at,
        state=run.state,  # type: ignore[arg-type]
        message=run.message,
        counts=run.counts,
        rows=[row for row in rows_told(run) if row.outcome != "unchanged"][:40],
    )


def _wrong(path: str, message: str) -> Failure:
    return Failure(422, "invalid", message, [Problem("invalid", message, path=path)])
