"""Sign-in by login and password, logins without letter case."""

from typing import Any

from django.contrib.auth.backends import BaseBackend
from django.contrib.auth.hashers import make_password
from django.http import HttpRequest

from moorland.server.directory.models import Account


class LoginBackend(BaseBackend):
    """Checks a login and password; takes as long for an unknown login as for a wrong password."""

    def authenticate(self, request: HttpRequest | None, login: str | None = None, password: str | None = None, **_: Any) -> Account | None:
        if not login or password is None:
            return None
        account = Account.objects.by_identity(login)
        if account is None:
            make_password(password)
            return None
        return account if account.check_password(password) and account.enabled and account.kind == "person" else None

    def get_user(self, user_id: int) -> Account | None:
        return Account.objects.filter(pk=user_id, enabled=True).first()
