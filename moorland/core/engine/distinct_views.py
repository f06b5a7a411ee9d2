"""Who sees the same: people with the same roles and the same values of everything those roles read, told apart column by column.

No viewer is made of each person, only of the first of those who are alike; so what is worked out by view costs by views, not by people.
"""

from collections.abc import Callable, Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from functools import cached_property

import numpy as np

from moorland.core.collector import collector_paused
from moorland.core.crowd import IDENTITY, Codes, Crowd, firsts, numbered, some_told_apart, told_apart
from moorland.core.language import tree
from moorland.core.language.checking import check_condition
from moorland.core.people import People, Viewer

_OF_HOME = frozenset({"organization", "organizations", "branch"})
#: The label of whoever is not enabled, and of whoever is not there at all.
DISABLED, NOBODY = -1, -2
#: Of fewer people each is looked at alone.
LEAST_COLUMNS = 1000


@dataclass(frozen=True)
class Alike:
    """People who see the same: the first of them, and the logins of all in their order."""

    first: Viewer
    logins: tuple[str, ...]


@dataclass(frozen=True)
class AlikeTwice:
    """People who see the same in each of two states: the first of them as in either, None where they are not there; and the logins of all."""

    before: Viewer | None
    after: Viewer | None
    logins: tuple[str, ...]


@dataclass(frozen=True)
class Told:
    """By what more people are to be told apart: names of `viewer.`, and groups they are in."""

    names: frozenset[str] = frozenset()
    groups: frozenset[str] = frozenset()


class DistinctViews:
    """The views of the people of one evaluator.

    `reads` are the names of `viewer.` that each role reads, `view_of` is what of a viewer answers can depend on, `viewer` gives a viewer by login.
    """

    def __init__(
        self,
        people: People,
        day: date,
        reads: Mapping[str, frozenset[str]],
        viewer: Callable[[str], Viewer],
        view_of: Callable[[Viewer], Hashable],
        told: Told | None = None,
    ) -> None:
        self.people, self._day, self._reads, self._viewer, self._view_of, self._told = people, day, reads, viewer, view_of, told or Told()

    @property
    def crowd(self) -> Crowd:
        """The people in columns."""
        return self.people.crowd

    @cached_property
    def labels(self) -> Codes:
        """The number of each person's view in login order, DISABLED for who is not enabled; numbered in the order of the first of each."""
        with collector_paused():
            return self._labelled()

    def _labelled(self) -> Codes:
        enabled = self.crowd.enabled(self._day)
        codes = told_apart(self._by_what_is_read(), enabled.astype(np.int64))
        merged = np.full(int(codes.max(initial=-1)) + 1, DISABLED, dtype=np.int64)
        known: dict[Hashable, int] = {}
        for place in firsts(codes):
            if enabled[place]:
                merged[codes[place]] = known.setdefault(self._seen_by(self._viewer(self.crowd.logins[place])), len(known))
        return merged[codes]

    @cached_property
    def alike(self) -> tuple[Alike, ...]:
        """The enabled people of each view, in the order of the first of each."""
        return tuple(Alike(self._viewer(logins[0]), logins) for label, logins in together(self.labels, self.crowd.logins) if label != DISABLED)

    @cached_property
    def disabled(self) -> tuple[str, ...]:
        """The logins of those who are not enabled."""
        return tuple(self.crowd.logins[place] for place in np.flatnonzero(self.labels == DISABLED).tolist())

    def labels_at(self, places: Codes) -> Codes:
        """The numbers of the views of people at some places; NOBODY at -1."""
        return np.append(self.labels, NOBODY)[places]

    def someone(self, login: str) -> Viewer | None:
        """A person as a viewer; None where nobody has this login."""
        return self._viewer(login) if login in self.people.users else None

    def view(self, login: str) -> Hashable:
        """What one person sees by, found for them alone; DISABLED and NOBODY as among the labels."""
        viewer = self.someone(login)
        return NOBODY if viewer is None else DISABLED if not viewer.enabled else self._seen_by(viewer)

    def _seen_by(self, viewer: Viewer) -> Hashable:
        groups = tuple(sorted(self._told.groups & viewer.groups.keys()))
        return self._view_of(viewer), tuple(viewer.values(name) for name in sorted(self._told.names)), groups

    def _by_what_is_read(self) -> Codes:
        """People told apart by all that any role they hold reads of them, and by what gives them roles."""
        people, told = self.people, self._told
        deciding = _read_by_assignments(people) | told.names
        names = deciding.union(*self._reads.values())
        groups = _telling_groups(people, names, told.groups)
        by_role = tuple(tuple(item.user for item in role.assigned if item.user is not None) for role in people.bundle.roles)
        key = (self._day, deciding, names, groups, by_role, tuple(self._reads.items()))
        return self.crowd.kept(key, lambda: self._told_apart(deciding, names, groups, by_role))

    def _told_apart(self, deciding: frozenset[str], names: frozenset[str], groups: tuple[str, ...], by_role: tuple[tuple[str, ...], ...]) -> Codes:
        people, crowd = self.people, self.crowd
        codes = told_apart(np.zeros(len(crowd), dtype=np.int64), crowd.homes(_homes(people, names)))
        for name in sorted(names & people.definitions.keys()):
            codes = told_apart(codes, crowd.own(name))
        for name in sorted(IDENTITY & deciding):
            codes = told_apart(codes, crowd.identity(name))
        for group in groups:
            codes = some_told_apart(codes, crowd.members[group])
        for logins in by_role:
            codes = some_told_apart(codes, crowd.placed(logins))
        return self._by_what_they_are_called(told_apart(np.zeros_like(codes), codes), IDENTITY - deciding)

    def _by_what_they_are_called(self, codes: Codes, names: frozenset[str]) -> Codes:
        """Those who hold a role that reads what somebody is called, told apart by it."""
        reading = {role: names & read for role, read in self._reads.items() if names & read}
        if not reading:
            return codes
        marked = {name: np.zeros(int(codes.max(initial=-1)) + 1, dtype=np.bool_) for name in sorted(names)}
        for place in firsts(codes):
            for role in reading.keys() & self._viewer(self.crowd.logins[place]).held.keys():
                for name in reading[role]:
                    marked[name][codes[place]] = True
        result = codes
        for name, marks in marked.items():
            some = np.flatnonzero(marks[codes])
            result = some_told_apart(result, some, self.crowd.identity(name)[some])
        return told_apart(np.zeros_like(result), result)


def _read_by_assignments(people: People) -> frozenset[str]:
    """The names of `viewer.` that decide who holds a role."""
    conditions = [item.when for role in people.bundle.roles for item in role.assigned if item.when is not None]
    return frozenset[str]().union(*(tree.viewer_values_read(check_condition(text, people.assignment_scope)) for text in conditions))


def _telling_groups(people: People, names: frozenset[str], told: frozenset[str]) -> tuple[str, ...]:
    """The groups by whose members people are told apart: those that lead to one that gives a role, or a value that is read."""
    if "groups" in names:
        return tuple(people.groups)
    telling = {item.group for role in people.bundle.roles for item in role.assigned if item.group is not None} | told
    telling |= {name for name, group in people.groups.items() if names & group.attributes.keys()}
    return tuple(name for name, group in people.groups.items() if telling & people.effective_groups((group,)).keys())


def _homes(people: People, names: frozenset[str]) -> dict[str | None, int]:
    """A number for each organization, equal where being at home there is the same for what is read."""
    homes = [*people.organizations, None]
    chains = [tuple(people.chain(home or people.root)) for home in homes]
    if not names & _OF_HOME:
        setting = {name for name, organization in people.organizations.items() if names & organization.attributes.keys()}
        chains = [tuple(name for name in chain if name in setting) for chain in chains]
    return dict(zip(homes, numbered(chains).tolist(), strict=True))


def together(labels: Codes, logins: Sequence[str]) -> list[tuple[int, tuple[str, ...]]]:
    """The logins with each label, in their order; in the order of the first of each."""
    if not len(labels):
        return []
    order = np.argsort(labels, kind="stable")
    stops = np.flatnonzero(np.diff(labels[order])) + 1
    with collector_paused():
        parts = sorted((part.tolist() for part in np.split(order, stops)), key=lambda part: part[0])
        return [(int(labels[part[0]]), tuple([logins[place] for place in part])) for part in parts]


def alike_twice(before: DistinctViews, after: DistinctViews, logins: Iterable[str]) -> list[AlikeTwice]:
    """Some people, those together who see the same in each of two states; in the order of the first of each."""
    names = logins if isinstance(logins, list) else list(logins)
    if len(names) < LEAST_COLUMNS:
        # So few are looked at one by one: the columns of all people are not needed for them.
        codes = numbered((before.view(login), after.view(login)) for login in names)
        return [AlikeTwice(before.someone(same[0]), after.someone(same[0]), same) for _, same in together(codes, names)]
    places = before.crowd.places_of(names)
    later = places if after.crowd is before.crowd else after.crowd.places_of(names)
    pairs = told_apart(before.labels_at(places) - NOBODY, after.labels_at(later) - NOBODY)
    return [AlikeTwice(before.someone(same[0]), after.someone(same[0]), same) for _, same in together(pairs, names)]
