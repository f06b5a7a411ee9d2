"""Sign-in rules: what a password has to be, how long it and a session last, and whether a second factor is asked for (accounts.md 7)."""

from datetime import timedelta
from typing import Any, Literal

from django.http import HttpRequest
from django.utils import timezone
from pydantic import Field

from moorland.core.bundle.shape import Shape
from moorland.server.access.models import SecondFactor, StoredRules
from moorland.server.directory.models import Account
from moorland.server.errors import from_document


class SignInRules(Shape):
    """The rules of the workspace. Days and minutes that are null put no bound."""

    least_length: int = Field(default=10, ge=8, le=128)
    reuse: int = Field(default=0, ge=0, le=24)
    expiry_days: int | None = Field(default=None, ge=1, le=3_650)
    attempts: int = Field(default=8, ge=3, le=20)
    pause_minutes: int = Field(default=15, ge=1, le=1_440)
    session_hours: int = Field(default=12, ge=1, le=720)
    idle_minutes: int | None = Field(default=None, ge=5, le=10_080)
    second_factor: Literal["off", "offered", "required"] = "offered"


class Stops(Shape):
    """Whom rules would stop today: those who would have to change their password, or set a second factor up, at their next sign-in."""

    password: list[str]
    second_factor: list[str]


def rules() -> SignInRules:
    """The rules in force."""
    stored = StoredRules.objects.first()
    return from_document(SignInRules, stored.document) if stored is not None else SignInRules()


def attempts_allowed(request: HttpRequest | None, credentials: dict[str, Any] | None) -> int:
    """How many wrong passwords one address may try for one account; axes asks."""
    return rules().attempts


def pause(request: HttpRequest | None = None) -> timedelta:
    """How long whoever tried too often has to wait; axes asks."""
    return timedelta(minutes=rules().pause_minutes)


def too_many_attempts() -> str:
    """What anybody is told who has to wait, whatever the account."""
    minutes = rules().pause_minutes
    wait = "a quarter of an hour" if minutes == 15 else "a minute" if minutes == 1 else f"{minutes} minutes"
    return f"Too many attempts. Wait {wait}, then try again."


def password_is_over(account: Account, asked: SignInRules) -> bool:
    """Whether a password has to be changed at the next sign-in."""
    if account.must_change_password:
        return True
    if asked.expiry_days is None or account.password_never_expires:
        return False
    # Where nothing says since when a password is in use, it counts from the last sign-in.
    since = account.password_set_at or account.last_login or timezone.now()
    return since < timezone.now() - timedelta(days=asked.expiry_days)


def factor_is_missing(account: Account, asked: SignInRules) -> bool:
    """Whether a second factor has to be set up."""
    return asked.second_factor == "required" and not SecondFactor.objects.filter(account=account, confirmed=True).exists()


def stopped_by(asked: SignInRules) -> Stops:
    """Whom rules would stop today; told before they are saved."""
    able = [account for account in Account.objects.filter(enabled=True, kind="person") if account.has_usable_password()]
    with_factor = set(SecondFactor.objects.filter(confirmed=True).values_list("account_id", flat=True))
    return Stops(
        password=[account.login for account in able if password_is_over(account, asked)],
        second_factor=[account.login for account in able if asked.second_factor == "required" and account.pk not in with_factor],
    )
