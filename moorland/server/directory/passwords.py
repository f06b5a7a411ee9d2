"""Passwords: what is refused as too weak, and how one changes one's own."""

from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError

from moorland.core.bundle.problems import Problem
from moorland.server.changes import recorded
from moorland.server.directory.act_shapes import PasswordChange
from moorland.server.directory.models import Account
from moorland.server.errors import Failure

LEAST_DIFFERENT = 5


class VariedPasswordValidator:
    """Refuses passwords of few different signs, such as ten spaces."""

    def validate(self, password: str, user: Account | None = None) -> None:
        if len(set(password.strip())) < LEAST_DIFFERENT:
            raise ValidationError(f"This password has fewer than {LEAST_DIFFERENT} different signs.", code="too_plain")

    def get_help_text(self) -> str:
        return f"At least {LEAST_DIFFERENT} different signs."


def refuse_weak(password: str, account: Account) -> None:
    """Raises Failure (422) with everything that is weak about a password."""
    try:
        validate_password(password, account)
    except ValidationError as error:
        raise Failure(
            422, "weak_password", " ".join(error.messages), [Problem("weak_password", message, path="password") for message in error.messages]
        ) from None


def change_password(account: Account, asked: PasswordChange) -> None:
    """Another password for whoever knows the present one; every other session of the account ends by it."""
    with recorded(account, "change password", account.login):
        stored = Account.objects.get(pk=account.pk)
        if not stored.check_password(asked.present):
            raise Failure(
                422, "wrong_password", "The present password is not this one.", [Problem("wrong_password", "not the present password", path="present")]
            )
        refuse_weak(asked.password, stored)
        stored.set_password(asked.password)
        stored.save(update_fields=["password"])
        stored.invitations.all().delete()
