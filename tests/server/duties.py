"""Accounts with duties for the tests."""

from collections.abc import Callable
from typing import Any

from django.contrib.auth.hashers import make_password

from moorland.core.bundle.duties import Duty
from moorland.server.changes import outdate
from moorland.server.directory.models import Account, Group
from moorland.server.duties.giving import give
from tests.server.conftest import PASSWORD, Session

EVERYTHING = "everything"
#: Scopes that hold the small workspace's leaf (ann) and nothing of anybody else.
LEAF = {"organizations": ["leaf"]}

Sessions = Callable[[str | None], Session]


def given(login: str, acts: list[str], within: Any = EVERYTHING, **more: Any) -> None:
    """Gives a duty to an account, made where it is missing; nobody judges it."""
    if not Account.objects.filter(login=login).exists():
        account = Account(login=login, name=login.title(), password=make_password(PASSWORD))
        account.save()
    duty = Duty.model_validate({"user": login, "acts": acts, "within": within, **more}, strict=False)
    give(duty, "boss")
    outdate("people")


def people(scope: Any, **more: Any) -> dict[str, Any]:
    """A scope over some people and all else."""
    return {"people": scope, "models": "all", "roles": "all", "shelves": "all", "sources": "all", "attributes": "all", **more}


def member(login: str, *groups: str) -> None:
    """Puts somebody into groups, unjudged."""
    for name in groups:
        Group.objects.get(name=name).users.add(Account.objects.get(login=login))
