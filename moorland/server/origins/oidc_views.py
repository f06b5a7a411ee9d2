"""The way to a provider and back (accounts.md 21)."""

from typing import Any

from django.contrib.auth import login
from django.http import HttpRequest, HttpResponseRedirect
from django.http.response import HttpResponseBase
from django.utils import timezone
from django.views.decorators.http import require_GET

from moorland.server.access.rules import rules_of
from moorland.server.access.sessions import begin
from moorland.server.directory.models import Account
from moorland.server.directory.throttling import address_of
from moorland.server.errors import Failure
from moorland.server.origins.binding import secret_of
from moorland.server.origins.models import Entry, Joined, Origin, OriginRun
from moorland.server.origins.oidc import NotVouched, begin_at, claims_at_return, said_of
from moorland.server.origins.running import carried_out, keeper_of, text_of
from moorland.server.origins.said import Said
from moorland.server.origins.shapes import ArrivedRow, OidcText
from moorland.server.trail.floods import record_refusal
from moorland.server.trail.models import record

#: What is kept in a session of a sign-in that is under way, and what is told of one that failed.
UNDER_WAY, REFUSED = "signing in", "sign-in refused"


@require_GET
def to_provider(request: HttpRequest, name: str) -> HttpResponseBase:
    """Anybody: to the provider they sign in by."""
    found = _provider(name)
    if found is None:
        return _back(request, "There is no such way to sign in.")
    origin, text = found
    try:
        begun = begin_at(text, secret_of(origin), request.build_absolute_uri(f"/api/session/by/{name}/back"))
    except NotVouched as wrong:
        _troubled(origin, f"Signing in cannot begin: {wrong}.")
        return _back(request, f"{text.title} cannot be reached now. Try again later, or ask who keeps this workspace.")
    request.session[UNDER_WAY] = {name: begun.kept}
    request.session.set_expiry(600)
    return HttpResponseRedirect(begun.address)


@require_GET
def from_provider(request: HttpRequest, name: str) -> HttpResponseBase:
    """Whoever comes back from a provider: signed in where it vouches for them, and has an account or gets one."""
    kept: dict[str, Any] = (request.session.pop(UNDER_WAY, None) or {}).get(name) or {}
    found = _provider(name)
    if found is None:
        return _back(request, "There is no such way to sign in.")
    origin, text = found
    who = "somebody unknown"
    try:
        claims = claims_at_return(text, secret_of(origin), kept, {key: value for key, value in request.GET.items() if isinstance(value, str)})
        said = said_of(text, claims)
        who = said.people[0].login
        account = _account(origin, text, said)
    except NotVouched as wrong:
        record_refusal(who[:200], "sign-in refused", "session", address_of(request))
        _remember(origin, f"{who} was not signed in: {wrong}.")
        return _back(request, f"You were not signed in: {wrong}.")
    except Failure as failure:
        record_refusal(who[:200], "sign-in refused", "session", address_of(request))
        return _back(request, failure.message)
    login(request, account, backend="moorland.server.directory.sign_in.LoginBackend")
    begin(request, account, rules_of(account))
    record(account.login, "sign-in", "session", by=name)
    return HttpResponseRedirect("/")


def _account(origin: Origin, text: OidcText, said: Said) -> Account:
    """The account of whoever is vouched for, as the provider says of them now. Raises Failure where they are not let in."""
    person = said.people[0]
    entry = Entry.objects.filter(origin=origin, kind="person", key=person.key).select_related("account").first()
    known = entry is not None and entry.account is not None
    if not known and not text.creates and not Joined.objects.filter(origin=origin, key=person.key).exists():
        taken = Account.objects.by_identity(person.login)
        row = ArrivedRow(key=person.key, name=person.login, outcome="refused", why="Has no account by it yet.", taken=taken.login if taken else None)
        _remember(origin, f"{person.login} came, and has no account by it.", row)
        raise Failure(403, "no_account", f"{text.title} knows you, but you have no account here yet. Ask who keeps this workspace to join you.")
    try:
        run = carried_out(origin, text, said, keeper_of(origin), over_time=True, whole=True)
    except Failure as failure:
        _remember(
            origin,
            f"{person.login} was not signed in: {failure.message}",
            ArrivedRow(key=person.key, name=person.login, outcome="refused", why=failure.message, taken=_taken(person.login)),
        )
        raise Failure(403, "not_allowed", "What your provider says of you cannot be taken here. Ask who keeps this workspace.") from None
    if run.state == "held":
        raise Failure(503, "held", "What your provider says of you changes more than it may by itself. Somebody here has to look first; try again later.")
    entry = Entry.objects.select_related("account").get(origin=origin, kind="person", key=person.key)
    if entry.account is None or not entry.account.good_today() or entry.account.kind != "person":
        raise Failure(403, "disabled", "Your account here is disabled.")
    return entry.account


def _taken(login: str) -> str | None:
    account = Account.objects.by_identity(login)
    return account.login if account is not None and not Entry.objects.filter(account=account).exists() else None


def _provider(name: str) -> tuple[Origin, OidcText] | None:
    origin = Origin.objects.filter(name=name, kind="oidc", enabled=True).select_related("keeper").first()
    text = text_of(origin) if origin is not None else None
    return (origin, text) if origin is not None and isinstance(text, OidcText) else None


def _remember(origin: Origin, message: str, row: ArrivedRow | None = None) -> None:
    """What failed, for who keeps the origin; the same again and again stands once."""
    OriginRun.objects.filter(origin=origin, state="failed", message=message[:1000]).delete()
    report = [row.model_dump(mode="json")] if row is not None else []
    OriginRun.objects.create(origin=origin, state="failed", message=message[:1000], report=report, ended_at=timezone.now())


def _troubled(origin: Origin, message: str) -> None:
    Origin.objects.filter(pk=origin.pk).update(trouble=message[:600], troubled_at=timezone.now())


def _back(request: HttpRequest, message: str) -> HttpResponseBase:
    """To where people sign in, with what is wrong said there once."""
    request.session[REFUSED] = message[:500]
    return HttpResponseRedirect("/")
