"""Sign-in by login and password, logins without letter case."""

import threading
from typing import Any

from django.contrib.auth.backends import BaseBackend
from django.contrib.auth.hashers import make_password
from django.http import HttpRequest

from moorland.server.directory.models import Account
from moorland.server.origins.binding import bind_as
from moorland.server.unchanged import unless_changed

#: Each hash takes much memory by design: so many are made at once.
_hashing = threading.BoundedSemaphore(2)


class LoginBackend(BaseBackend):
    """Checks a login and password; takes as long for an unknown login as for a wrong password."""

    def authenticate(self, request: HttpRequest | None, login: str | None = None, password: str | None = None, **_: Any) -> Account | None:
        if not login or password is None:
            return None
        account = Account.objects.by_identity(login)
        bound = bind_as(account, password) if account is not None else None
        if account is not None and bound is not None:
            return account if bound and account.good_today() and account.kind == "person" else None
        with _hashing:
            if account is None or not account.has_usable_password():
                make_password(password)
                return None
            right = account.check_password(password)
        return account if right and account.good_today() and account.kind == "person" else None

    def get_user(self, user_id: int) -> Account | None:
        return unless_changed(("account", user_id), lambda: _good(user_id))


def _good(user_id: int) -> Account | None:
    account = Account.objects.filter(pk=user_id).first()
    return account if account is not None and account.good_today() else None
