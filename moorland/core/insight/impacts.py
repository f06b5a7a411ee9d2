"""What changes between two states, as it is told: for each person, and for all together for whom exactly the same does."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import cached_property
from typing import overload

import numpy as np
from pydantic import Field

from moorland.core.bundle.shape import Shape
from moorland.core.collector import collector_paused

#: So many people are named of those for whom the same changes.
MOST_NAMED = 1000


class TableChange(Shape):
    """Rows of a table gained and lost; `before` and `after` count the visible rows, None where the table is absent."""

    model: str
    table: str
    rows: int
    before: int | None
    after: int | None
    gained: int
    lost: int


class TotalChange(Shape):
    """A total before and after; None where there is none."""

    model: str
    measure: str
    before: float | None
    after: float | None


class ViewChanges(Shape):
    """What changes for whoever sees by a view."""

    tables: list[TableChange] = Field(default_factory=list)
    totals: list[TotalChange] = Field(default_factory=list)
    gained: list[str] = Field(default_factory=list)
    lost: list[str] = Field(default_factory=list)
    #: What changes cannot be told: a source that is chosen for this person does not answer.
    not_known: bool = False

    @property
    def changes(self) -> bool:
        """Whether anything changes at all."""
        return bool(self.tables or self.gained or self.lost or self.totals or self.not_known)

    @property
    def moved(self) -> int:
        """How many rows are gained or lost."""
        return sum(table.gained + table.lost for table in self.tables)


class ViewerImpact(ViewChanges):
    """What changes for one person."""

    login: str
    name: str


class ImpactedPerson(Shape):
    """Somebody for whom something changes."""

    login: str
    name: str


class SharedImpact(ViewChanges):
    """What changes, with the number of people for whom exactly that does; of many only the first are named."""

    people: int
    named: list[ImpactedPerson]


class Impacts(Sequence[ViewerImpact]):
    """What changes for each of some people, most rows first, then by login; for those who see the same it is held once."""

    def __init__(self, views: Sequence[tuple[ViewChanges, Sequence[str]]], name: Callable[[str], str]) -> None:
        self._views, self._name = views, name

    @cached_property
    def _ordered(self) -> list[tuple[str, ViewChanges]]:
        logins = [login for _, same in self._views for login in same]
        sizes = [len(same) for _, same in self._views]
        moved = np.repeat(np.array([one.moved for one, _ in self._views], dtype=np.int64), sizes)
        places = np.repeat(np.arange(len(self._views)), sizes)
        order = np.lexsort((np.array(logins, dtype=np.str_), -moved)) if logins else np.zeros(0, np.int64)
        with collector_paused():
            return [(logins[row], self._views[place][0]) for row, place in zip(order.tolist(), places[order].tolist(), strict=True)]

    def __len__(self) -> int:
        return sum(len(same) for _, same in self._views)

    def __iter__(self) -> Iterator[ViewerImpact]:
        return (self._of(one, login) for login, one in self._ordered)

    @overload
    def __getitem__(self, place: int) -> ViewerImpact: ...

    @overload
    def __getitem__(self, place: slice) -> list[ViewerImpact]: ...

    def __getitem__(self, place: int | slice) -> ViewerImpact | list[ViewerImpact]:
        if isinstance(place, slice):
            return [self._of(one, login) for login, one in self._ordered[place]]
        login, one = self._ordered[place]
        return self._of(one, login)

    def _of(self, one: ViewChanges, login: str) -> ViewerImpact:
        return ViewerImpact.model_construct(**one.__dict__, login=login, name=self._name(login))

    @property
    def together(self) -> list[tuple[ViewChanges, list[tuple[str, str]]]]:
        """What changes, each once, with logins and names of all for whom exactly that does; most rows first, then by the first login."""
        found: dict[str, tuple[ViewChanges, list[str]]] = {}
        for one, same in self._views:
            found.setdefault(one.model_dump_json(), (one, []))[1].extend(same)
        ordered = sorted(((one, sorted(logins)) for one, logins in found.values()), key=lambda group: (-group[0].moved, group[1][0]))
        return [(one, [(login, self._name(login)) for login in logins]) for one, logins in ordered]


def impacts_of(several: Iterable[ViewerImpact]) -> Impacts:
    """The same of what is told for people one by one."""
    told = list(several)
    names = {item.login: item.name for item in told}
    return Impacts([(ViewChanges(**{name: getattr(item, name) for name in ViewChanges.model_fields}), (item.login,)) for item in told], names.__getitem__)


def shared(impacts: Impacts, most_named: int | None = MOST_NAMED) -> list[SharedImpact]:
    """People for whom the same changes, together; of each so many are named."""
    return [
        SharedImpact(**one.__dict__, people=len(people), named=[ImpactedPerson(login=login, name=name) for login, name in people[:most_named]])
        for one, people in impacts.together
    ]
