"""Changes to people: applied, or tried and taken back to show what they would do."""

from collections.abc import Callable
from functools import lru_cache

from django.db import transaction

from moorland.core.bundle.problems import BundleError
from moorland.core.engine.evaluator import Evaluator
from moorland.core.insight.holders import Holder, holders
from moorland.core.insight.impact import ViewerImpact, impact
from moorland.core.people import Viewer
from moorland.server.catalog.storage import load_table
from moorland.server.directory.models import Account, Group, Organization
from moorland.server.directory.shapes import PersonChange
from moorland.server.errors import Failure, missing
from moorland.server.state import bundle_of, evaluator, people_changed


@lru_cache(maxsize=4)
def holders_of(base: Evaluator) -> dict[str, list[Holder]]:
    """Who holds which role; an evaluator never changes, so neither does the answer."""
    return holders(base)


def signature(viewer: Viewer) -> tuple[object, ...]:
    """Everything about a viewer that an answer can depend on."""
    attributes = tuple((name, resolution.values) for name, resolution in viewer.attributes.items())
    return (viewer.enabled, viewer.name, viewer.email, viewer.organizations, viewer.branch, tuple(sorted(viewer.groups)), attributes, tuple(viewer.held))


def tried(change: Callable[[], None]) -> list[ViewerImpact]:
    """Who gains and loses what, in the live release, if the change is made; it is made and taken back.

    Raises Failure where the change cannot be made.
    """
    before = evaluator("live")
    with transaction.atomic():
        change()
        try:
            after = Evaluator(bundle_of("live"), load_table, before.as_of, before.secret, before.shared)
        except BundleError as error:
            raise Failure(422, "invalid", _said(error), error.problems) from None
        finally:
            transaction.set_rollback(True)
    logins = [login for login in {**before.people.users, **after.people.users} if _differs(before, after, login)]
    return impact(before, after, logins)


def _said(error: BundleError) -> str:
    """The first problem as a sentence, without the place in a bundle that nobody sees here."""
    message = error.problems[0].message
    more = len(error.problems) - 1
    return message[0].upper() + message[1:] + (f" And {more} more." if more else "")


def _differs(before: Evaluator, after: Evaluator, login: str) -> bool:
    if login not in before.people.users or login not in after.people.users:
        return True
    return signature(before.viewer(login)) != signature(after.viewer(login))


def made(change: Callable[[], None]) -> None:
    """Makes the change, if the workspace can still be evaluated with it. Raises Failure otherwise."""
    with transaction.atomic():
        change()
        people_changed()
        for state in ("draft", "live"):
            try:
                Evaluator(bundle_of(state))  # type: ignore[arg-type]
            except BundleError as error:
                raise Failure(422, "invalid", _said(error), error.problems) from None


def change_person(account: Account, asked: PersonChange) -> None:
    """Applies a change to an account's own record and memberships."""
    if asked.name is not None:
        account.name = asked.name
    if asked.enabled is not None:
        account.enabled = asked.enabled
    if asked.organization is not None:
        organization = Organization.objects.filter(name=asked.organization).first()
        if organization is None:
            raise missing("organization", asked.organization)
        account.organization = organization
    if asked.attributes is not None:
        merged = {**account.attributes, **asked.attributes}
        account.attributes = {name: value for name, value in merged.items() if value is not None}
    account.version += 1
    account.save()
    for name in asked.join:
        _group(name).users.add(account)
    for name in asked.leave:
        _group(name).users.remove(account)


def _group(name: str) -> Group:
    group = Group.objects.filter(name=name).first()
    if group is None:
        raise missing("group", name)
    return group
