"""Which groups name somebody, and which name a group: indexed once, and after a change of a few, for these alone."""

from collections.abc import Iterable, Sequence
from functools import cached_property

from moorland.core.bundle.people import Group
from moorland.core.collector import collector_paused


class Memberships:
    """The direct members of some groups, looked up from the members' side; groups in their order."""

    def __init__(self, groups: Sequence[Group]) -> None:
        self._groups = {group.name: group for group in groups}
        self._before: Memberships | None = None

    def after(self, other: "Memberships") -> None:
        """Begins with what is known of others: only who is in another group than there is looked for."""
        self._before = other if "_of_users" in other.__dict__ else other._before

    def of_user(self, login: str) -> list[Group]:
        """The groups that name somebody."""
        return [self._groups[name] for name in self._of_users.get(login, ())]

    def of_group(self, name: str) -> list[Group]:
        """The groups that name a group."""
        return [self._groups[above] for above in self._of_groups.get(name, ())]

    @cached_property
    def _of_users(self) -> dict[str, tuple[str, ...]]:
        before, self._before = self._before, None
        if before is None or list(before._groups) != list(self._groups):
            return _index((login, group.name) for group in self._groups.values() for login in group.users)
        changed = [group for name, group in self._groups.items() if group.users != before._groups[name].users]
        members = {group.name: set(group.users) for group in changed}
        moved = {login for name, users in members.items() for login in users.symmetric_difference(before._groups[name].users)}
        places = {name: place for place, name in enumerate(self._groups)}
        index = dict(before._of_users)
        for login in moved:
            kept = [name for name in index.get(login, ()) if name not in members]
            index[login] = tuple(sorted([*kept, *(name for name, users in members.items() if login in users)], key=places.__getitem__))
        return index

    @cached_property
    def _of_groups(self) -> dict[str, tuple[str, ...]]:
        return _index((inner, group.name) for group in self._groups.values() for inner in group.groups)


def _index(pairs: Iterable[tuple[str, str]]) -> dict[str, tuple[str, ...]]:
    index: dict[str, tuple[str, ...]] = {}
    with collector_paused():
        for key, group in pairs:
            known = index.get(key, ())
            if group not in known:
                index[key] = (*known, group)
    return index
