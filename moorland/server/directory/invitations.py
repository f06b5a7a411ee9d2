"""One-time links: somebody's first password, and the first administrator of a new workspace. What stands in a link is kept as a hash only."""

import hashlib
import logging
import secrets
from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.core.mail import send_mail
from django.db import transaction
from django.utils import timezone

from moorland.core.bundle.problems import Problem
from moorland.server.changes import recorded
from moorland.server.directory.act_shapes import FirstPassword, InvitationAnswer, SetUp
from moorland.server.directory.models import Account, Invitation, Organization
from moorland.server.directory.passwords import refuse_weak, set_password
from moorland.server.duties.giving import give_set
from moorland.server.errors import Failure
from moorland.server.origins.locks import signs_in_by
from moorland.server.releases.models import Workspace

_log = logging.getLogger(__name__)
VALID_FOR = timedelta(days=7)
#: A link for a password that was forgotten, and how long a mail has to stand unchanged before links go there.
FORGOTTEN_FOR = timedelta(hours=1)
SETTLED = timedelta(days=7)


def _hash(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def invite(account: Account, valid_for: timedelta = VALID_FOR) -> InvitationAnswer:
    """A fresh link for an account; earlier ones stop working."""
    if account.kind != "person" or not account.enabled:
        raise Failure(422, "invalid", f"{account.login} cannot sign in: {'it is a service account' if account.kind != 'person' else 'it is disabled'}.")
    elsewhere = signs_in_by(account)
    if elsewhere is not None:
        raise Failure(422, "comes_from_elsewhere", f"{account.login} signs in by {elsewhere}; there is no password here to set.")
    token = secrets.token_urlsafe(32)
    with transaction.atomic():
        account.invitations.all().delete()
        made = Invitation.objects.create(account=account, token_hash=_hash(token), expires_at=timezone.now() + valid_for)
    return InvitationAnswer(path=f"/welcome#{token}", expires_at=made.expires_at.isoformat())


def may_be_mailed(account: Account) -> bool:
    """Whether a link may go to an account's mail: it has one, unchanged for seven days, and mail is set up (accounts.md 2)."""
    settled = account.email_set_at is None or account.email_set_at < timezone.now() - SETTLED
    return bool(settings.MAIL_IS_SET_UP and account.email and settled and account.kind == "person" and account.good_today())


def mailed(account: Account, made: InvitationAnswer, address: str) -> bool:
    """Sends a link to an account's own mail, outside of any transaction; whether it could be sent."""
    text = f"{account.name},\n\nset a password for {account.login} at\n{address.rstrip('/')}{made.path}\n\nThe link works once, until {made.expires_at}.\n"
    try:
        return send_mail("A link to set your password", text, settings.DEFAULT_FROM_EMAIL, [str(account.email)]) == 1
    except OSError:
        _log.exception("a link could not be mailed")
        return False


def forgotten(login: str, address: str) -> None:
    """Sends a link to whoever forgot a password, where that can be done; what is answered is the same either way."""
    account = Account.objects.by_identity(login)
    able = account is not None and account.has_usable_password() and not account.keeps_password and signs_in_by(account) is None
    if account is not None and able and may_be_mailed(account):
        with recorded(account, "forgotten password", account.login):
            made = invite(account, FORGOTTEN_FOR)
        mailed(account, made, address)


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
