"""One-time links: somebody's first password, and the first administrator of a new workspace. What stands in a link is kept as a hash only."""

import hashlib
import secrets
from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.db import transaction
from django.utils import timezone

from moorland.core.bundle.problems import Problem
from moorland.server.changes import recorded
from moorland.server.directory.act_shapes import FirstPassword, InvitationAnswer, SetUp
from moorland.server.directory.models import Account, Invitation, Organization
from moorland.server.directory.passwords import refuse_weak, set_password
from moorland.server.duties.giving import give_set
from moorland.server.errors import Failure
from moorland.server.releases.models import Workspace

VALID_FOR = timedelta(days=7)


def _hash(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def invite(account: Account, valid_for: timedelta = VALID_FOR) -> InvitationAnswer:
    """A fresh link for an account; earlier ones stop working."""
    if account.kind != "person" or not account.enabled:
        raise Failure(422, "invalid", f"{account.login} cannot sign in: {'it is a service account' if account.kind != 'person' else 'it is disabled'}.")
    token = secrets.token_urlsafe(32)
    with transaction.atomic():
        account.invitations.all().delete()
        made = Invitation.objects.create(account=account, token_hash=_hash(token), expires_at=timezone.now() + valid_for)
    return InvitationAnswer(path=f"/welcome#{token}", expires_at=made.expires_at.isoformat())


def first_password(asked: FirstPassword) -> Account:
    """Sets the password of whoever a link was made for; the link works once."""
    with recorded("", "first password", "") as change:
        found = Invitation.objects.select_related("account").filter(token_hash=_hash(asked.token), expires_at__gt=timezone.now()).first()
        if found is None or not found.account.good_today():
            raise Failure(422, "no_such_link", "This link was used already, or its seven days are over. Ask for another.")
        account = found.account
        refuse_weak(asked.password, account)
        set_password(account, asked.password)
        found.delete()
        change.by(account)
    return account


def _token_file() -> Path:
    return Path(settings.DATA) / "setup.token"


def setup_link() -> str | None:
    """The link by which a new workspace is set up; None where there is one already. Only whoever reads the server's output or folder knows it."""
    path = _token_file()
    if Workspace.objects.exists():
        path.unlink(missing_ok=True)
        return None
    if not path.is_file():
        path.touch(mode=0o600)
        path.write_text(secrets.token_urlsafe(32), "utf-8")
    return f"/welcome#setup.{path.read_text('utf-8')}"


def set_up(asked: SetUp) -> Account:
    """Makes the workspace with its first administrator. Works once, and only with the link the server printed."""
    path = _token_file()
    with recorded(asked.login.strip(), "set up", asked.workspace.strip()):
        if Workspace.objects.exists():
            raise Failure(409, "set_up", "This workspace is set up already. Sign in.")
        if not path.is_file() or not secrets.compare_digest(path.read_bytes(), asked.token.encode()):
            raise Failure(422, "no_such_link", "This link is not the one the server printed. Look at its output again.")
        account = Account(login=asked.login.strip(), name=asked.name.strip())
        refuse_weak(asked.password, account)
        Workspace.objects.create(name=asked.workspace.strip(), time_zone=_time_zone(asked.time_zone))
        account.organization = Organization.objects.create(name="everybody", label=asked.workspace.strip())
        account.set_password(asked.password)
        account.save()
        give_set(account, "keeper", account.login)
    path.unlink(missing_ok=True)
    return account


def _time_zone(name: str) -> str:
    from zoneinfo import ZoneInfo

    try:
        return str(ZoneInfo(name))
    except (KeyError, ValueError, OSError):
        raise Failure(
            422, "invalid", f"{name} is no time zone. Write Europe/London, or UTC.", [Problem("invalid", "no such time zone", path="time_zone")]
        ) from None
