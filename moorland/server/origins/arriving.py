"""The one way in for what origins say: people and memberships are made to be as said, and each is told what becomes of it (accounts.md 18).

It runs inside a transaction of whoever calls: tried and taken back, or kept.
"""

from collections import Counter
from collections.abc import Collection
from dataclasses import dataclass, field
from typing import Any

from django.utils import timezone

from moorland.core.bundle.structure import identity
from moorland.server.directory.acts import carried_over
from moorland.server.directory.models import Account, Group
from moorland.server.directory.people_rows import Cell, PeopleRows, RefusedRow, definitions_here, one
from moorland.server.duties.models import GivenDuty
from moorland.server.errors import Failure
from moorland.server.origins.models import Entry, Joined, Origin
from moorland.server.origins.said import Said, SaidPerson
from moorland.server.origins.shapes import ArrivedRow, ListedGroup, OriginText

#: So few people are judged by themselves alone, and nobody else is read.
MOST_ALONE = 100


@dataclass
class Arrived:
    """What became of each person, by key, and what else is to be told."""

    rows: dict[str, ArrivedRow] = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)

    @property
    def gone(self) -> int:
        """How many people the origin has no more."""
        return sum(row.outcome == "gone" for row in self.rows.values())

    def counts(self) -> dict[str, int]:
        """How many people of each outcome."""
        return {outcome: sum(row.outcome == outcome for row in self.rows.values()) for outcome in ("created", "changed", "unchanged", "gone", "refused")}


def arrive(origin: Origin, text: OriginText, said: Said) -> Arrived:
    """Makes people and memberships as an origin says. Raises Failure where nothing of it can be taken."""
    arrived = Arrived(notes=list(said.notes))
    few = not said.whole and not said.members
    about = Entry.objects.filter(origin=origin, kind="person").select_related("account__organization")
    about = about.filter(key__in=[*(person.key for person in said.people), *said.gone]) if few else about
    entries = {entry.key: entry for entry in about}
    before = len([entry for entry in entries.values() if not entry.gone])
    _people(origin, text, said, entries, arrived)
    if said.whole and before and not said.people:
        raise Failure(422, "empty", f"{text.title} gives nobody at all. Look whether it is asked in the right place; nothing was changed.")
    _gone(entries, entries.keys() - {person.key for person in said.people} if said.whole else said.gone, arrived)
    _keep_groups(origin, said)
    _memberships(text, said, entries, arrived)
    return arrived


def _people(origin: Origin, text: OriginText, said: Said, entries: dict[str, Entry], arrived: Arrived) -> None:
    only = None
    if not said.whole and len(said.people) <= MOST_ALONE:
        only = {text for person in said.people for text in (person.login, one(person.fields.get("email", "")))}
    rows = PeopleRows(definitions_here(), clears=True, only=only)
    joined = {item.key: item.account for item in Joined.objects.filter(origin=origin).select_related("account__organization")}
    elsewhere = Entry.objects.exclude(account=None).exclude(origin=origin)
    elsewhere = elsewhere if only is None else elsewhere.filter(account__in=list(rows.accounts.values()))
    others = set(elsewhere.values_list("account_id", flat=True))
    logins = Counter(identity(person.login) for person in said.people if person.login)
    keys = Counter(person.key for person in said.people)
    created: list[Entry] = []
    changed: list[Entry] = []
    renamed: list[tuple[str, str]] = []
    for person in said.people:
        entry = entries.get(person.key)
        known = (entry.account if entry else None) or joined.get(person.key)
        was = known.login if known is not None else person.login
        try:
            if not person.key or keys[person.key] > 1:
                raise RefusedRow("the key of this entry is blank, or stands twice")
            if not person.login:
                raise RefusedRow("the login is blank")
            if logins[identity(person.login)] > 1:
                same = [other.where or other.key for other in said.people if identity(other.login) == identity(person.login) and other is not person]
                raise RefusedRow(f"the login {person.login} stands in two entries, this one and {same[0]}; neither is taken")
            taken = rows.accounts.get(identity(person.login))
            if taken is not None and (known is None or taken.pk != known.pk):
                whose = "comes from elsewhere" if taken.pk in others else "is kept here"
                row = _refused(person, f"The login {person.login} belongs to {taken.name}, who {whose}.")
                arrived.rows[person.key] = row if taken.pk in others else row.model_copy(update={"taken": taken.login})
                continue
            outcome, changes = rows.row(_fields(person, entry), known)
        except (RefusedRow, Failure) as error:
            arrived.rows[person.key] = _refused(person, str(error))
            continue
        account = rows.accounts[identity(person.login)]
        if was != account.login:
            renamed.append((was, account.login))
        if entry is None:
            changes = [f"joined to {known.login}", *changes] if known is not None else changes
            outcome = "changed" if known is not None else outcome
            created.append(Entry(origin=origin, kind="person", key=person.key))
            entry = entries[person.key] = created[-1]
        elif (
            outcome != "unchanged"
            or entry.account_id != account.pk
            or person.document not in (None, entry.document)
            or (entry.where, entry.gone, entry.says_enabled) != (person.where, False, person.enabled)
        ):
            entry.version += 1
            entry.changed_at = timezone.now()
            changed.append(entry)
        entry.document = person.document if person.document is not None else entry.document
        entry.where, entry.gone, entry.says_enabled, entry.account = person.where[:1000], False, person.enabled, account
        arrived.rows[person.key] = ArrivedRow(key=person.key, name=person.login, outcome=outcome, changes=changes)
    rows.finish()
    Entry.objects.bulk_create(created, batch_size=500)
    Entry.objects.bulk_update(changed, ("where", "gone", "says_enabled", "account", "document", "version", "changed_at"), batch_size=300)
    for before, login in renamed:
        carried_over(before, login)
    Joined.objects.filter(origin=origin, key__in=[entry.key for entry in [*created, *changed]]).delete()


def _fields(person: SaidPerson, entry: Entry | None) -> dict[str, Cell]:
    """What is said of somebody; whether they are enabled only where the origin says otherwise than before, so that what is disabled here stays so."""
    fields = {**person.fields, "login": person.login}
    if not person.enabled and (entry is None or (entry.says_enabled and not entry.gone)):
        fields["enabled"] = "no"
    elif person.enabled and entry is not None and (entry.gone or not entry.says_enabled):
        fields["enabled"] = "yes"
    return fields


def _refused(person: SaidPerson, why: str) -> ArrivedRow:
    sentence = why[:1].upper() + why[1:].rstrip(".") + "."
    return ArrivedRow(key=person.key, name=person.login or person.where or person.key, outcome="refused", why=sentence)


def _gone(entries: dict[str, Entry], keys: Collection[str], arrived: Arrived) -> None:
    """Who is gone there is disabled here, never deleted."""
    lost = [entry for key, entry in entries.items() if key in keys and not entry.gone and entry.account is not None]
    now = timezone.now()
    for entry in lost:
        entry.gone, entry.changed_at = True, now
        entry.version += 1
        account = entry.account
        assert account is not None
        arrived.rows[entry.key] = ArrivedRow(key=entry.key, name=account.login, outcome="gone", changes=["disabled"] if account.enabled else [])
        if account.enabled:
            account.enabled = False
            account.version += 1
    Entry.objects.bulk_update(lost, ("gone", "version", "changed_at"), batch_size=300)
    Account.objects.bulk_update([entry.account for entry in lost if entry.account is not None], ("enabled", "version"), batch_size=300)


def _keep_groups(origin: Origin, said: Said) -> None:
    """What was said of groups is kept as it was said."""
    known = {entry.key: entry for entry in Entry.objects.filter(origin=origin, kind="group", key__in=[group.key for group in said.groups])}
    for group in said.groups:
        entry = known.get(group.key) or Entry(origin=origin, kind="group", key=group.key, version=0)
        entry.document, entry.gone = group.document or {}, group.document is None
        entry.version += 1
        entry.changed_at = timezone.now()
        entry.save()


def _memberships(text: OriginText, said: Said, entries: dict[str, Entry], arrived: Arrived) -> None:
    """Groups here hold, of the people of the origin, just those that are said to be in them."""
    by_account = {entry.account_id: key for key, entry in entries.items() if entry.account_id is not None}
    dutiful = _with_duties()
    groups = {group.name: group for group in Group.objects.filter(name__in=[item.group for item in text.listed])}
    through = Group.users.through
    for listed in text.listed:
        if listed.entry not in said.members:
            if not said.whole:
                continue
            arrived.notes.append(f"The group {listed.name or listed.entry} is not there any more; nobody is in {listed.group} by it.")
        group = groups.get(listed.group) or Group.objects.create(name=listed.group)
        if group.pk in dutiful and not listed.duties:
            arrived.notes.append(f"{listed.group} carries duties, and is not listed as one that may: its members stay as they are.")
            continue
        _fill(group, listed, said, entries, by_account, arrived, through)


def _fill(group: Group, listed: ListedGroup, said: Said, entries: dict[str, Entry], by_account: dict[int, str], arrived: Arrived, through: Any) -> None:
    wanted = {
        entry.account_id
        for key in said.members.get(listed.entry, ())
        if (entry := entries.get(key)) is not None and entry.account_id is not None and not entry.gone
    }
    concerned = {account for account, key in by_account.items() if said.about is None or key in said.about}
    present = set(through.objects.filter(group=group).values_list("account_id", flat=True)) & concerned
    joining, leaving = (wanted & concerned) - present, present - wanted
    through.objects.bulk_create([through(group_id=group.pk, account_id=key) for key in joining], batch_size=500)
    doomed = sorted(key for key in leaving if key is not None)
    for start in range(0, len(doomed), 500):
        through.objects.filter(group=group, account_id__in=doomed[start : start + 500]).delete()
    for keys, word in ((joining, "joins"), (leaving, "leaves")):
        for account in keys:
            key = by_account[account]
            entry = entries[key]
            assert entry.account is not None
            row = arrived.rows.get(key) or ArrivedRow(key=key, name=entry.account.login, outcome="unchanged")
            outcome = "changed" if row.outcome == "unchanged" else row.outcome
            arrived.rows[key] = row.model_copy(update={"outcome": outcome, "changes": [*row.changes, f"{word} {listed.group}"]})


def _with_duties() -> set[int]:
    """The groups that carry duties, by themselves or by a group they are in."""
    found: set[int] = set()
    inside: dict[int, list[int]] = {}
    for outer, inner in Group.groups.through.objects.values_list("from_group_id", "to_group_id"):
        inside.setdefault(outer, []).append(inner)
    waiting = [key for key in GivenDuty.objects.values_list("group_id", flat=True) if key is not None]
    while waiting:
        key = waiting.pop()
        if key not in found:
            found.add(key)
            waiting += inside.get(key, ())
    return found
