"""Findings about the workspace itself, which no bundle holds: who alone may do something, and secrets older than their rule."""

import datetime
from collections.abc import Iterator

from django.utils import timezone

from moorland.core.bundle.duties import ActName
from moorland.core.insight.findings.finding import Finding, shown
from moorland.server.access.models import AccessToken
from moorland.server.access.rules import rules_of
from moorland.server.directory.models import Account
from moorland.server.door.models import DoorKey
from moorland.server.duties.rights import holding

#: Acts that come to a stand where their only holder is away, and what they are.
NEEDED: dict[ActName, str] = {"settings": "keep the settings", "release": "release", "people": "keep people"}
#: A secret of a program is old after so many days where no rule says when passwords have to be changed.
OLD_DAYS = 365


def own_findings() -> Iterator[Finding]:
    """Duties with one holder alone, and secrets older than their rule."""
    for act, what in NEEDED.items():
        able = list(Account.objects.filter(pk__in=holding(act), enabled=True, kind="person").values_list("name", flat=True)[:2])
        if len(able) == 1:
            yield Finding(
                kind="duty_with_one_holder",
                weight="middle",
                path="duties",
                message=f"Only {able[0]} may {what}.",
                remedy="Give a second person the duty, so that nothing waits while they are away.",
            )
    yield from _old_secrets()


def _old_secrets() -> Iterator[Finding]:
    """Tokens, door keys, and passwords that never have to be changed, older than the rule for passwords says (a year where it says nothing)."""
    now = timezone.now()
    for what, stored in (("token", AccessToken), ("door key", DoorKey)):
        valid = [item for item in stored.objects.select_related("account") if item.account.enabled and (item.expires_at is None or item.expires_at > now)]
        old = [f"{item.account.login}/{item.name}" for item in valid if item.created_at < now - _allowed(item.account)]
        yield from _told(f"{what}s", old, "Make a new one where the program runs, and end the old one.")
    kept = Account.objects.filter(enabled=True, password_never_expires=True, password_set_at__isnull=False)
    ruled = [account for account in kept if rules_of(account).expiry_days is not None]
    old = [account.login for account in ruled if account.password_set_at and account.password_set_at < now - _allowed(account)]
    yield from _told("passwords", old, "Let them expire like those of others, or have them changed.")


def _allowed(account: Account) -> datetime.timedelta:
    return datetime.timedelta(days=rules_of(account).expiry_days or OLD_DAYS)


def _told(what: str, old: list[str], remedy: str) -> Iterator[Finding]:
    if old:
        message = f"{len(old)} {what} {'are' if len(old) > 1 else 'is'} older than their rule: {', '.join(sorted(old)[:3])}."
        yield Finding(
            kind="secret_too_old", weight="middle", path="duties", message=message.replace(f"1 {what}", f"1 {what[:-1]}"), remedy=remedy, evidence=shown(old)
        )
