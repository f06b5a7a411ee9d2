"""What an account may do now: the one object every address asks (accounts.md 1, 4). What it does not say is refused."""

import datetime
from collections import deque
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property

from django.db.models import Q

from moorland.core.bundle.duties import ACTS, DIMENSIONS, IMPLIED, ActName, Duty, PeopleWithin, Within, whole
from moorland.core.people import People, Viewer
from moorland.core.today import today_in
from moorland.server.directory.models import Account, Group
from moorland.server.duties.models import GivenDuty
from moorland.server.errors import Failure, from_document
from moorland.server.releases.models import Workspace
from moorland.server.unchanged import unless_changed


@dataclass(frozen=True)
class HeldDuty:
    """A duty an account has today, and the groups by which it comes (none: given to the account itself)."""

    key: int
    duty: Duty
    path: tuple[str, ...]
    given_by: str

    @cached_property
    def acts(self) -> frozenset[ActName]:
        """The acts it allows, those that come with others among them."""
        return frozenset(self.duty.acts).union(*(IMPLIED.get(act, ()) for act in self.duty.acts))


@dataclass(frozen=True)
class Rights:
    """The duties of one account. An act reaches a thing if one duty's scope does."""

    login: str
    held: tuple[HeldDuty, ...]

    @cached_property
    def acts(self) -> frozenset[ActName]:
        """Every act allowed in some scope."""
        return frozenset(act for held in self.held for act in held.acts)

    def scopes(self, act: ActName) -> list[Within]:
        """The scopes an act is allowed in."""
        return [held.duty.scope for held in self.held if act in held.acts]

    def whole(self, act: ActName) -> bool:
        """Whether the act is allowed over everything."""
        return any(whole(scope, act) for scope in self.scopes(act))

    @cached_property
    def keeps_all(self) -> bool:
        """Whether this account may do everything."""
        return all(self.whole(act) for act in ACTS)

    def reaches(
        self,
        act: ActName,
        *,
        person: Viewer | None = None,
        everyone: bool = False,
        model: str | None = None,
        every_model: bool = False,
        role: str | None = None,
        shelf: str | None = None,
        attribute: str | None = None,
        source: str | None = None,
    ) -> bool:
        """Whether the scope of one duty with the act holds all that is named; `everyone` and `every_model` ask for a scope without that bound."""
        named = (("models", model), ("roles", role), ("shelves", shelf), ("attributes", attribute), ("sources", source))
        return any(
            all(name is None or _holds(getattr(scope, dimension), name) for dimension, name in named)
            and (not everyone or scope.people == "all")
            and (not every_model or scope.models == "all")
            and (person is None or in_scope(scope.people, person))
            for scope in self.scopes(act)
        )

    def reaches_group(self, act: ActName, group: str, people: People, role: str | None = None) -> bool:
        """Whether a group is a place in the scope: it is named there, or lies in a group that is."""
        return any(_group_in(scope.people, group, people) and (role is None or _holds(scope.roles, role)) for scope in self.scopes(act))

    def reaches_organization(self, act: ActName, organization: str | None, people: People) -> bool:
        """Whether an organization is a place in the scope: it is named there, or lies beneath one that is."""
        return any(
            scope.people == "all" or (isinstance(scope.people, PeopleWithin) and bool(set(people.chain(organization)) & set(scope.people.organizations)))
            for scope in self.scopes(act)
        )

    def covers(self, acts: Iterable[ActName], scope: Within, people: People) -> bool:
        """Whether each act is held with at least a scope, by what is named and the tree, not by today's members (accounts.md 2)."""
        return all(any(_wider(own, scope, act, people) for own in self.scopes(act)) for act in acts)


def in_scope(scope: str | PeopleWithin | None, person: Viewer) -> bool:
    """Whether somebody is among the people of a scope, by the organization tree and the groups as they are now."""
    if not isinstance(scope, PeopleWithin):
        return scope == "all"
    return person.login in scope.users or bool(set(person.organizations) & set(scope.organizations)) or any(name in person.groups for name in scope.groups)


def _holds(named: object, name: str) -> bool:
    return named == "all" or (isinstance(named, list) and name in named)


def _group_in(scope: str | PeopleWithin | None, group: str, people: People) -> bool:
    if not isinstance(scope, PeopleWithin):
        return scope == "all"
    if group in scope.groups:
        return True
    known = people.groups.get(group)
    return known is not None and any(name in scope.groups for name in people.effective_groups([known]))


def _wider(own: Within, other: Within, act: ActName, people: People) -> bool:
    """Whether one scope holds all another does, for an act."""
    for dimension in DIMENSIONS[act]:
        has, asked = getattr(own, dimension), getattr(other, dimension)
        if has == "all" or asked is None:
            continue
        if asked == "all" or has is None:
            return False
        if dimension != "people":
            if not set(asked) <= set(has):
                return False
        elif not (
            all(set(people.chain(name)) & set(has.organizations) for name in asked.organizations if name in people.organizations)
            and all(_group_in(has, name, people) for name in asked.groups)
            and set(asked.users) <= set(has.users)
        ):
            return False
    return True


def rights_of(account: Account) -> Rights:
    """What an account may do today, by its own duties and those of its groups."""
    today = _today()
    return unless_changed(("rights", account.pk, today), lambda: _read(account, today))


def _today() -> datetime.date:
    space = unless_changed("workspace", Workspace.objects.first)
    return today_in(space.time_zone if space else "UTC")


def _read(account: Account, today: datetime.date) -> Rights:
    if not account.good_today():
        return Rights(account.login, ())
    groups = groups_of(account)
    own = Q(account_id=account.pk) | Q(group_id__in=list(groups))
    given = GivenDuty.objects.filter(_days(today) & own).select_related("account", "group")
    return Rights(account.login, tuple(HeldDuty(item.pk, duty_of(item), groups.get(item.group_id or 0, ()), item.given_by) for item in given))


def groups_of(account: Account) -> dict[int, tuple[str, ...]]:
    """The enabled groups an account is in through enabled groups, each with the names on the way (semantics.md 2.2)."""
    above: dict[int, list[int]] = {}
    for outer, inner in Group.groups.through.objects.values_list("from_group_id", "to_group_id"):
        above.setdefault(inner, []).append(outer)
    enabled = dict(Group.objects.filter(enabled=True).values_list("pk", "name"))
    found: dict[int, tuple[str, ...]] = {}
    waiting: deque[tuple[int, tuple[str, ...]]] = deque((pk, ()) for pk in account.in_groups.values_list("pk", flat=True))
    while waiting:
        pk, path = waiting.popleft()
        if pk in enabled and pk not in found:
            found[pk] = (*path, enabled[pk])
            waiting.extend((outer, found[pk]) for outer in above.get(pk, ()))
    return found


def holding(act: ActName) -> set[int]:
    """The ids of all accounts that hold an act today, whether they are enabled or not."""
    today = _today()
    given = [item for item in GivenDuty.objects.filter(_days(today)) if act in item.acts]
    found = {item.account_id for item in given if item.account_id is not None}
    inside: dict[int, list[int]] = {}
    for outer, inner in Group.groups.through.objects.values_list("from_group_id", "to_group_id"):
        inside.setdefault(outer, []).append(inner)
    enabled = set(Group.objects.filter(enabled=True).values_list("pk", flat=True))
    waiting = [item.group_id for item in given if item.group_id is not None]
    groups: set[int] = set()
    while waiting:
        group = waiting.pop()
        if group in enabled and group not in groups:
            groups.add(group)
            waiting += inside.get(group, ())
    return found | set(Group.users.through.objects.filter(group_id__in=groups).values_list("account_id", flat=True))


def _days(today: datetime.date) -> Q:
    return (Q(first_day=None) | Q(first_day__lte=today)) & (Q(last_day=None) | Q(last_day__gte=today))


def duty_of(given: GivenDuty) -> Duty:
    """A given duty in the written form of bundle.md; its group and account have to be selected with it."""
    document = {
        "user": given.account.login if given.account else None,
        "group": given.group.name if given.group else None,
        "acts": given.acts,
        "within": given.within,
        "from": given.first_day.isoformat() if given.first_day else None,
        "until": given.last_day.isoformat() if given.last_day else None,
        "reason": given.reason or None,
    }
    return from_document(Duty, document)


def outside(message: str) -> Failure:
    """403: something is beyond what the account's duties reach, in a sentence that names only what it knows of."""
    return Failure(403, "not_allowed", message)
