"""What comes from an origin is changed there: no act, file or import here changes it (accounts.md 17)."""

from collections.abc import Collection
from dataclasses import dataclass

from moorland.core.bundle.people import User
from moorland.core.people import People
from moorland.server.directory.models import Account
from moorland.server.errors import Failure, from_document
from moorland.server.origins.models import Entry, Origin
from moorland.server.origins.shapes import LdapText, OidcText, OriginDocument, OriginText


@dataclass(frozen=True)
class Locks:
    """Who comes from which origin, by login, whether it says they are there, and the groups that origins fill."""

    people: dict[str, tuple[OriginText, bool]]
    groups: dict[str, list[OriginText]]


def locked(but: int | None = None, only: Collection[int] | None = None) -> Locks:
    """What comes from origins now, but one: it changes its own. `only` bounds it to some accounts, by their ids."""
    texts = {item.pk: from_document(OriginDocument, {"origin": item.document}).origin for item in Origin.objects.all() if item.pk != but}
    people = {}
    groups: dict[str, list[OriginText]] = {}
    if texts:
        said = Entry.objects.filter(kind="person", origin_id__in=list(texts)).exclude(account=None)
        said = said if only is None else said.filter(account__in=only)
        for login, origin, gone, enabled in said.values_list("account__login", "origin_id", "gone", "says_enabled"):
            people[login] = (texts[origin], enabled and not gone)
    for text in texts.values():
        for item in text.listed:
            groups.setdefault(item.group, []).append(text)
    return Locks(people, groups)


def refuse_locked(locks: Locks, before: People, after: People) -> None:
    """Raises Failure (409) where a change is of what an origin says."""
    for login, (text, there) in locks.people.items():
        old, new = before.users.get(login), after.users.get(login)
        if old is not None and old is not new and old != new:
            _refuse_person(text, there, old, new)
    for name, texts in locks.groups.items():
        old_group, new_group = before.groups.get(name), after.groups.get(name)
        if old_group is None or old_group == new_group:
            continue
        if new_group is None:
            raise _locked(f"The group {name} is filled from {texts[0].title}. Take it off the groups listed there first.")
        moved = set(old_group.users) ^ set(new_group.users)
        for login in sorted(moved & locks.people.keys()):
            if locks.people[login][0] in texts:
                raise _locked(f"Who of {locks.people[login][0].title} is in {name} is said there. Change it there.")


def _refuse_person(text: OriginText, there: bool, old: User, new: User | None) -> None:
    if new is None:
        raise _locked(f"{old.name} comes from {text.title}, and goes there. Here they can be disabled.")
    for field in ("login", "name", "email", "organization"):
        if field in text.says and getattr(old, field) != getattr(new, field):
            raise _locked(f"The {field} of {old.name} comes from {text.title}. Change it there.")
    for name in old.attributes.keys() | new.attributes.keys():
        if f"attribute:{name}" in text.says and old.attributes.get(name) != new.attributes.get(name):
            raise _locked(f"The attribute {name} of {old.name} comes from {text.title}. Change it there.")
    if new.enabled and not old.enabled and not there:
        raise _locked(f"{text.title} has {old.name} no more. They are enabled when it has them again.")


def origin_of_account(account: Account) -> OriginText | None:
    """Where an account comes from; None where it is kept here."""
    entry = Entry.objects.filter(account=account, kind="person").select_related("origin").first()
    return from_document(OriginDocument, {"origin": entry.origin.document}).origin if entry is not None else None


def signs_in_by(account: Account) -> str | None:
    """How the origin is called by which somebody signs in, in place of a password kept here; None where there is none."""
    text = origin_of_account(account)
    elsewhere = isinstance(text, OidcText) or (isinstance(text, LdapText) and text.sign_in)
    return text.title if text is not None and elsewhere else None


def _locked(message: str) -> Failure:
    return Failure(409, "comes_from_elsewhere", message)
