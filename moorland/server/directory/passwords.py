"""Passwords: what is refused as too weak, and how one changes one's own."""

from django.contrib.auth.hashers import check_password
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.utils import timezone

from moorland.core.bundle.problems import Problem
from moorland.server.access.models import EarlierPassword
from moorland.server.access.rules import rules
from moorland.server.changes import recorded
from moorland.server.directory.act_shapes import PasswordChange
from moorland.server.directory.models import Account
from moorland.server.errors import Failure

LEAST_DIFFERENT = 5
#: So many earlier passwords are remembered.
MOST_KEPT = 24


class VariedPasswordValidator:
    """Refuses passwords of few different signs, such as ten spaces."""

    def validate(self, password: str, user: Account | None = None) -> None:
        if len(set(password.strip())) < LEAST_DIFFERENT:
            raise ValidationError(f"This password has fewer than {LEAST_DIFFERENT} different signs.", code="too_plain")

    def get_help_text(self) -> str:
        return f"At least {LEAST_DIFFERENT} different signs."


def refuse_weak(password: str, account: Account) -> None:
    """Raises Failure (422) with everything that is weak about a password, by Django's rules and those of the workspace."""
    asked, messages = rules(), []
    try:
        validate_password(password, account)
    except ValidationError as error:
        messages += error.messages
    if len(password) < asked.least_length and not messages:
        messages.append(f"This password is too short: {asked.least_length} signs at least.")
    if account.pk is not None and not messages and _was_used(password, account, asked.reuse):
        messages.append("This password was used before.")
    if messages:
        raise Failure(422, "weak_password", " ".join(messages), [Problem("weak_password", message, path="password") for message in messages])


def _was_used(password: str, account: Account, reuse: int) -> bool:
    """Whether it is the present password, where the rules look at any, or one of the last before it."""
    if reuse == 0:
        return False
    earlier = EarlierPassword.objects.filter(account=account).values_list("password", flat=True)[: reuse - 1]
    return any(check_password(password, kept) for kept in [account.password, *earlier])


def set_password(account: Account, password: str) -> None:
    """Sets a password that was found good, and remembers the one before."""
    if account.has_usable_password():
        EarlierPassword.objects.create(account=account, password=account.password)
    account.set_password(password)
    account.password_set_at, account.must_change_password = timezone.now(), False
    account.save()
    kept = list(EarlierPassword.objects.filter(account=account).values_list("pk", flat=True)[:MOST_KEPT])
    EarlierPassword.objects.filter(account=account).exclude(pk__in=kept).delete()


def change_password(account: Account, asked: PasswordChange) -> None:
    """Another password for whoever knows the present one; every other session of the account ends by it."""
    with recorded(account, "change password", account.login):
        stored = Account.objects.get(pk=account.pk)
        if not stored.check_password(asked.present):
            raise Failure(
                422, "wrong_password", "The present password is not this one.", [Problem("wrong_password", "not the present password", path="present")]
            )
        if stored.keeps_password:
            raise Failure(403, "not_allowed", "The password of this account is not changed by who uses it.")
        refuse_weak(asked.password, stored)
        set_password(stored, asked.password)
        stored.invitations.all().delete()
