"""One way for every change: it and its entry in the trail are stored together, or not at all."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any, Literal

from django.contrib.auth.hashers import UNUSABLE_PASSWORD_PREFIX
from django.db import transaction
from django.db.models import F

from moorland.server.access.rules import shut_out
from moorland.server.directory.models import Account
from moorland.server.documents import Versioned
from moorland.server.duties.rights import holding
from moorland.server.errors import Failure, stale
from moorland.server.releases.history import keep_yesterday
from moorland.server.releases.models import Workspace
from moorland.server.trail.models import record

#: What a change can make older: people and what reaches them, roles with models and pages, the content of tables.
Part = Literal["people", "policy", "data"]


class Change:
    """A change that is being made: what its entry in the trail will tell. Both sides are documents without secrets."""

    def __init__(self, actor: str, action: str, subject: str) -> None:
        self.actor, self.action, self.subject = actor, action, subject
        self.before: Any = None
        self.after: Any = None
        self.details: dict[str, Any] = {}
        self.empty = False

    def by(self, account: Account) -> None:
        """Names who makes it, and whom it is about, where that is known only on the way."""
        self.actor = self.subject = account.login

    def nothing(self) -> None:
        """Nothing came of it: no entry, and no answer grows old."""
        self.empty = True

    def entry(self) -> dict[str, Any]:
        """What stands in the trail beside action and subject."""
        sides = {name: value for name, value in (("before", self.before), ("after", self.after)) if value is not None}
        return {**self.details, **sides}


@contextmanager
def recorded(by: Account | str, action: str, subject: str, *older: Part) -> Iterator[Change]:
    """A change with its entry, in one transaction: whatever is raised, the failure to record among it, takes all of it back.

    `older` are the parts of the workspace whose answers are computed anew afterwards.
    """
    with transaction.atomic():
        if "people" in older:
            keep_yesterday()
        made = Change(by.login if isinstance(by, Account) else by, action, subject)
        with still_in_charge():
            yield made
        if made.empty:
            return
        for part in dict.fromkeys(older):
            outdate(part)
        record(made.actor, made.action, made.subject, **made.entry())


@contextmanager
def still_in_charge() -> Iterator[None]:
    """Whatever is changed inside, somebody who can sign in still keeps the settings of the workspace. Raises Failure (422)."""
    before = in_charge()
    yield
    if before and not in_charge():
        raise nobody_in_charge()


def nobody_in_charge() -> Failure:
    """422: nobody who can sign in would keep the settings any more."""
    message = "Nobody would be left to keep this workspace. Give somebody else the duty over its settings first."
    return Failure(422, "last_keeper", message)


def in_charge() -> bool:
    """Whether somebody who can sign in keeps the settings of the workspace."""
    able = Account.objects.filter(pk__in=holding("settings"), enabled=True, kind="person")
    return able.exclude(password__startswith=UNUSABLE_PASSWORD_PREFIX).exclude(organization_id__in=shut_out()).exists()


def outdate(part: Part) -> None:
    """Moves the counter of a part, inside the transaction of its change: every answer that reads it is computed anew."""
    counter = {"people": "people_version", "policy": "policy_version", "data": "data_version"}[part]
    Workspace.objects.update(**{counter: F(counter) + 1})


def expect_version(stored: Versioned, version: int | None, what: str, current: Callable[[], dict[str, Any]] | None = None) -> None:
    """Raises Failure (409) with what is stored now, where somebody saved since that version was read."""
    if stored.version != version:
        raise stale(what, current() if current else {"version": stored.version})
