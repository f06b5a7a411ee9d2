"""Accounts by their logins."""

from moorland.server.directory.models import Account
from moorland.server.errors import missing


def account_named(login: str) -> Account:
    """The account of a login. Raises Failure (404)."""
    account = Account.objects.filter(login=login).first()
    if account is None:
        raise missing("user", login)
    return account
